"""How long things take: by the catalogue's estimate, or as the keeper has told of
evenings that are done.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from brood.catalogue.holdings import Catalogue
from brood.services import counted, history
from brood.store.tables import PestCase

MINUTES = {"neighbour": 2, "quarantine": 4, "look": 4, "card": 2, "care": 2, "patch": 1}
"""How long each takes, in minutes (our judgement, C)."""


def by_catalogue(catalogue: Catalogue, treatments: Iterable[str]) -> float:
    """Minutes that treatments take on one table plant, by the catalogue."""
    return sum(catalogue.care[t].minutes for t in treatments if t in catalogue.care)


def evening(catalogue: Catalogue, row: PestCase, treatments: Sequence[str]) -> float:
    """Minutes that an evening of a case takes: as its evenings took so far, else by the
    catalogue for each of its plants.
    """
    told = [
        (r.minutes, by_catalogue(catalogue, r.treatments))
        for r in history.evenings_done(row)
        if r.minutes is not None
    ]
    usual = by_catalogue(catalogue, treatments)
    if told and (thought := sum(t for _, t in told)):
        return usual * sum(m for m, _ in told) / thought
    return usual * (1 + len(counted.members(row)))
