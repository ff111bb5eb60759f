"""Who lives in the household, where they go, and which local rules the keeper wants to
be reminded of.
"""

from __future__ import annotations

import json
from dataclasses import dataclass, replace

from sqlalchemy.orm import Session

from brood.services.voice import preferences
from brood.store.place_tables import Place
from brood.store.queries import cases

LIVING = {
    "cats": "cats",
    "dogs": "dogs",
    "birds": "cage birds or poultry",
    "fish": "an aquarium or a pond",
    "children": "small children",
    "asthma": "somebody with asthma",
    "pregnancy": "somebody who is pregnant",
    "bees": "bee hives near the plants",
}
ASSUMED = frozenset({"cats", "fish", "children"})
"""Who is thought to live there until the keeper tells."""
VISITORS = ("cats", "dogs", "birds", "fish", "children")
"""Who may be said to go to a place. An aquarium stands there."""


@dataclass(frozen=True)
class Residents:
    """Who lives there, what the keeper noted of local rules, and the products that are
    not allowed there, by the ids of treatments. Not `told`: nobody was asked yet.
    """

    living: frozenset[str] = frozenset()
    region: str = ""
    barred: frozenset[str] = frozenset()
    told: bool = True

    def says(self) -> list[str]:
        """Who lives there, in words."""
        return [LIVING[one] for one in LIVING if one in self.living]

    def assumed(self) -> Residents:
        """With whom treatments are judged: until the keeper tells, with those who are
        harmed most easily.
        """
        return self if self.told else replace(self, living=ASSUMED)


def load(session: Session) -> Residents:
    """The residents as they stand. Empty where nothing was told."""
    stored = preferences.of_household(session)
    return Residents(
        frozenset(stored.get("living", ())) & frozenset(LIVING),
        str(stored.get("region", "")),
        preferences.barred(session),
        told="living" in stored,
    )


def put(session: Session, household: Residents, visitors: dict[int, list[str]]) -> None:
    """Keep who lives there and where they go. Every later plan takes it into account."""
    told = {
        "living": sorted(household.living),
        "region": household.region,
        "barred": sorted(household.barred),
    }
    preferences.put(session, preferences.HOUSEHOLD, json.dumps(told))
    for place_id, who in visitors.items():
        cases.place(session, place_id).visitors = [one for one in VISITORS if one in who]


def goes_to(household: Residents, place: Place | None, who: str) -> bool:
    """Whether one of the household can be met at a place: indoors anywhere, elsewhere
    where the keeper says so.
    """
    if who not in household.living or place is None:
        return who in household.living
    return place.setting == "indoor" or who in place.visitors
