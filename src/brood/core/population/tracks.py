"""The two tracks of a population: in the open, where an evening's acts meet an animal,
and in a refuge, where nothing does.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from brood.core.biology.case import Act
from brood.core.biology.kill import effect, treated_as
from brood.core.biology.substages import Array, Chain


def survivals(chain: Chain, acts: Sequence[Act], reach: float) -> Array:
    """The share in the open that survives one evening, by state: shape (size + 2,)."""
    return chain.of_states(
        np.array([1 - effect(acts, stage, reach) for stage in treated_as(chain.pest)])
    )


def placed_before(p: Array, moved: Array | float, refuge: float) -> Array:
    """Chances by track [2, ...] before the share `moved` changes its place and is
    hidden with the chance `refuge`.
    """
    towards = moved * (p[1] - p[0])
    return np.stack((p[0] + refuge * towards, p[1] - (1 - refuge) * towards))


def placed_after(x: Array, moved: Array, refuge: float) -> Array:
    """Numbers by track [2, ..., states] after the share `moved` has changed its place."""
    total = x[0] + x[1]
    hidden = x[1] + moved * (refuge * total - x[1])
    return np.stack((total - hidden, hidden))
