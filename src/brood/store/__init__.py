"""The household's record in SQLite. Tables hold no rules and never commit; services own
the transaction.
"""

from brood.store import records as records
