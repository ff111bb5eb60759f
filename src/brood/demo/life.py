"""Lives through a household's past: what is recorded at each moment, and the dates that
were worked out from it then.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime

from sqlalchemy import select

from brood.catalogue.holdings import Catalogue
from brood.services.cases.planning import Planning
from brood.services.voice.desk import Desk
from brood.store.session import Store
from brood.store.tables import PestCase


class Life:
    """A household whose clock is set."""

    def __init__(self, store: Store, catalogue: Catalogue) -> None:
        self.store, self.catalogue, self.moment = store, catalogue, datetime.min
        self.planning = Planning(store, lambda _: catalogue, lambda: self.moment)

    @contextmanager
    def at(self, moment: datetime) -> Iterator[Desk]:
        """The household for one change at a moment."""
        with self.store.writing() as session:
            yield Desk(session, self.catalogue, moment)

    def settle(self, moment: datetime, case_id: int) -> None:
        """Work out the dates of a case as they stood at a moment. Its chart of then was seen by
        nobody.
        """
        self.moment = moment
        self.planning.settle(case_id, passing=True)

    def arrive(self, moment: datetime) -> None:
        """Work out the dates of all cases as they stand at a moment, and when each is over."""
        self.moment = moment
        self.planning.settle_all()
        with self.store.reading() as session:
            still = list(session.scalars(select(PestCase.id).where(PestCase.closed_at.is_(None))))
        for each in still:
            self.planning.settle(each, looked_at=True)
        for each in self.planning.ends_due():
            self.planning.settle_end(each)
