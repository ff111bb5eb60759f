"""What survives the evenings, against stepping from interval to interval."""

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from brood.core.population.sparing import spared


def stepped(met, moved, refuge, start, fresh, waits):
    """The share of those who come at the start of an interval that is left after so many."""
    exposed, hidden, out = (1 - refuge) * fresh, refuge, []
    for n in range(start, start + waits):
        out.append(exposed + hidden)
        if n < len(met):
            total = exposed + hidden
            hidden = hidden * (1 - moved[n]) + refuge * moved[n] * total
            exposed = (total - hidden) * met[n]
    return out


@settings(max_examples=150, deadline=None)
@given(st.data())
def test_stepping_from_evening_to_evening_leaves_what_stepping_through_all_leaves(data):
    size = data.draw(st.integers(1, 25))
    share = st.floats(0, 1)
    evening = st.one_of(st.just(1.0), st.just(1.0), share)
    lists = st.lists(st.lists(evening, min_size=size, max_size=size), min_size=1, max_size=3)
    met = np.array(data.draw(lists))
    moved = np.array(data.draw(st.lists(share, min_size=size, max_size=size)))
    refuge, longest = data.draw(share), data.draw(st.integers(1, 2 * size))
    starts = np.array(data.draw(st.lists(st.integers(0, size - 1), min_size=1, max_size=6)))
    fresh = np.array([data.draw(st.lists(share, min_size=len(starts), max_size=len(starts)))])
    followed = spared(met, moved, refuge, starts, fresh, longest)
    found = followed.upto(slice(0, len(starts)), range(longest))
    all_of_it = spared(met, moved, refuge, starts, fresh, size).all()
    for b, row in enumerate(met):
        for n, start in enumerate(starts):
            wanted = stepped(row, moved, refuge, int(start), fresh[0, n], max(longest, size + 1))
            np.testing.assert_allclose(found[b, n], wanted[:longest], atol=1e-12)
            np.testing.assert_allclose(all_of_it[b, n], wanted[size], atol=1e-12)
    some = followed.upto(slice(1, len(starts)), range(longest // 2, longest))
    np.testing.assert_array_equal(some, found[:, 1:, longest // 2 :])
