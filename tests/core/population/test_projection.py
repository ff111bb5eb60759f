"""Expected numbers: what is found, what is caught, what is laid since; and stages that
nobody saw.
"""

from datetime import datetime, timedelta

import numpy as np
import pytest
from conftest import DAY, MITE, THRIPS, WHITEFLY

from brood.catalogue.loader import shipped
from brood.core.biology.case import Evening, Found
from brood.core.biology.kill import effect
from brood.core.biology.stage_classes import ROUGH_COUNTS
from brood.core.biology.substages import chain_of
from brood.core.biology.unseen import infer_hidden, spread_group, table_at
from brood.core.climate.series import constant
from brood.core.population.half_days import expected
from brood.core.population.projection import project
from brood.core.population.tracks import survivals

WARM = constant(datetime(2026, 6, 1), 24 * 100, 22.0)


def test_untreated_groups_keep_their_numbers_until_they_age_and_start_as_found(make_case):
    case = make_case(found=(Found(DAY, "egg", 40.0), Found(DAY, "larva", 10.0)))
    seen = project(case, [], DAY + timedelta(days=10))
    assert seen.numbers[0].sum(axis=1).tolist() == pytest.approx([40, 10, 0])
    lived = case.pest.stages[0].survival
    assert 40 * lived < seen.at(datetime(2026, 6, 6, 12))[0].sum() < 40, "some die untreated"
    later = seen.at(datetime(2026, 6, 9, 12))[0]
    assert later[0] < 5 < later[1:].sum()


def every_act(case, day):
    return Evening(day, tuple(a.id for a in case.acts))


def test_an_evening_takes_its_share_of_every_stage(make_case):
    case = make_case()
    strike = project(case, [every_act(case, DAY)], DAY + timedelta(days=3)).strikes[0]
    left = strike.after[2, 4] / strike.before[2, 4]
    assert left == pytest.approx(
        case.refuge + (1 - case.refuge) * (1 - effect(case.acts, "adult", case.reach))
    )
    assert survivals(chain_of(case.pest), case.acts, 0.9).shape == (chain_of(case.pest).size + 2,)


def test_laying_adults_fill_the_row_of_what_was_laid_since(make_case):
    case = make_case(found=(Found(DAY, "adult", 10.0),))
    day_later = project(case, [], DAY + timedelta(days=6)).at(datetime(2026, 6, 2, 9))
    rate = table_at(case.pest.fecundity, 20.0) * case.pest.female_share * 10
    assert day_later[-1, 0] == pytest.approx(rate, rel=0.05)
    assert np.all(day_later >= 0)


@pytest.mark.parametrize(
    ("pest", "word", "stages"),
    [
        (MITE, "nymph", {"protonymph", "deutonymph"}),
        (MITE, "larva", {"larva"}),
        (MITE, "young", {"larva", "protonymph", "deutonymph"}),
        (THRIPS, "larva", {"larva-1", "larva-2"}),
        (THRIPS, "pupa", {"pupa"}),
        (WHITEFLY, "crawler", {"nymph-1"}),
    ],
)
def test_a_word_for_several_stages_is_spread_by_their_duration(pest, word, stages):
    pieces = spread_group(shipped().pests[pest], Found(DAY, word, 12.0), 22.0)
    assert {p.stage for p in pieces} == stages
    assert sum(p.count for p in pieces) == pytest.approx(12)


def test_an_unknown_stage_is_not_guessed():
    with pytest.raises(KeyError):
        spread_group(shipped().pests[MITE], Found(DAY, "instar-7", 1.0), 22.0)


def test_adults_imply_eggs_and_older_larvae_pupae_but_nothing_recorded_is_doubled():
    pest = shipped().pests[THRIPS]
    seen = (Found(DAY, "adult", 5.0), Found(DAY, "larva-2", 8.0))
    inferred = [f for f in infer_hidden(pest, seen, WARM) if f.inferred]
    assert {f.stage for f in inferred} == {"egg", "propupa", "pupa"}
    assert all(f.count > 0 for f in inferred)
    told = (*seen, Found(DAY, "egg", 1.0), Found(DAY, "pupa", 1.0), Found(DAY, "propupa", 1.0))
    assert infer_hidden(pest, told, WARM) == told


def test_rough_classes_stand_a_factor_of_about_eight_apart():
    assert ROUGH_COUNTS == {"few": 4.0, "dozens": 30.0, "hundreds": 250.0}


@pytest.mark.parametrize("celsius", [18.0, 27.0])
def test_the_drawn_numbers_are_those_of_the_chain_also_where_stages_are_short(make_case, celsius):
    """Aphids in the heat pass more than four sub-stages in a quarter of a day; no
    number is negative and none is made out of nothing.
    """
    case = make_case(
        "myzus-persicae", celsius, found=(Found(DAY, "nymph-1", 30.0), Found(DAY, "adult", 8.0))
    )
    schedule = [every_act(case, DAY + timedelta(days=n)) for n in (0, 7, 14)]
    seen, until = project(case, schedule, DAY + timedelta(days=20)), DAY + timedelta(days=20)
    assert seen.numbers.min() > -1e-9
    for day, stages in expected(case, schedule, until)[1:]:
        drawn = seen.at(
            datetime.combine(day, datetime.min.time()) + timedelta(hours=19, minutes=1)
        ).sum()
        assert drawn == pytest.approx(sum(stages.values()), rel=0.25, abs=0.05), day
