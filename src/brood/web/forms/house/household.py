"""The form of the household: who lives there, where they go, local rules."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from brood.services.house.who_lives_here import LIVING, VISITORS, Residents
from brood.web.forms.reader import Reader


def read(
    reader: Reader, place_ids: Sequence[int], products: Iterable[str]
) -> tuple[Residents, dict[int, list[str]]]:
    """The household as ticked, and who goes where; raises FieldErrors."""
    living = frozenset(one for one in LIVING if reader.raw(f"living-{one}"))
    region = reader.text("region", "The note on local rules", longest=300, needed=False)
    visitors = {
        place: [one for one in VISITORS if reader.raw(f"at-{place}-{one}")] for place in place_ids
    }
    barred = frozenset(key for key in products if reader.raw(f"barred-{key}"))
    reader.done()
    return Residents(living, region, barred), visitors
