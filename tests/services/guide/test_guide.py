"""The field guide's figures: curves, days at places, own figures over catalogue updates."""

from dataclasses import replace
from datetime import time

import pytest
from conftest import MITE, NOW
from planned import Desk

from brood.catalogue.holdings import Catalogue
from brood.services.guide import guide, own_figures
from brood.services.house import places
from brood.services.voice.speech import Speech
from brood.store.tables import OwnFigure

SWING = places.PlaceCommand(
    "Balcony", "", "set-points", places.Warmth(29.0, 14.0, time(7), time(21))
)
COLD = places.PlaceCommand("Porch", "", "set-points", places.Warmth(19.0, 5.0, time(8), time(19)))


def at(store, catalogue, command):
    with store.writing() as session:
        places.add(session, command, now=NOW)
    with store.reading() as session:
        return guide.build(session, catalogue, MITE, "", today=NOW.date()).places[-1]


def test_a_daily_swing_and_its_mean_give_different_days_and_the_page_has_both(store, catalogue):
    swing = at(store, catalogue, SWING)
    assert (swing.low_c, swing.high_c) == (14, 29)
    assert 0.01 < abs(swing.by_hours - swing.by_mean) < 0.5, (
        "the mite's line holds all the way from 14 to 29 °C: only the hour of the day differs"
    )
    porch = at(store, catalogue, COLD)
    assert porch.by_mean - porch.by_hours > 10, (
        "nights below the threshold stop nothing that the days have gained"
    )
    assert sum(porch.stages[:-1]) == pytest.approx(porch.by_hours)
    assert porch.whole.fast < porch.by_hours < porch.whole.slow


def test_every_curve_passes_its_points_and_ends_where_development_ends(store, catalogue):
    with store.reading() as session:
        for pest, record in catalogue.records.items():
            for stage in ("", record.stage[0].id, "preoviposition"):
                curve = guide.build(session, catalogue, pest, stage, today=NOW.date()).curve
                assert curve.points
                assert curve.celsius[-1] < record.upper_c.value
                assert all(
                    s.fast < m < s.slow for s, m in zip(curve.spans, curve.means, strict=True)
                )
                assert all(
                    abs(p.fitted / p.days - 1) < 0.16
                    for p in curve.points
                    if p.used and p.grade != "C"
                )


def test_own_figures_outlive_a_catalogue_that_no_longer_has_them(store, catalogue: Catalogue):
    with store.writing() as session:
        own_figures.keep(session, catalogue, MITE, "stage.egg.k_dd", 70.0, "own counts", now=NOW)
        session.add(
            OwnFigure(
                pest_id=MITE,
                figure="stage.gone.k_dd",
                value=9.0,
                note="an older catalogue",
                recorded_at=NOW,
            )
        )
    renewed = replace(catalogue, pests=dict(catalogue.pests))
    with store.reading() as session:
        used = own_figures.adjusted(own_figures.standing(session), renewed).pests[MITE]
        assert used.stages[0].rate.figures["k_dd"] == 70
        result = own_figures.build(Desk(session, renewed, NOW), MITE)
    assert [row.figure for row in result.lost] == ["stage.gone.k_dd"]
    celsius, adult, _ = result.effect.days[1]
    assert celsius == 20
    assert adult[1].typical > adult[0].typical + 1


def test_figures_and_sentences_follow_the_units():
    us = Speech("en-US", "F", "us", "sun")
    said = us.said("Wet above 10 °C or between 15 and 20 °C, the top 2 to 3 cm.")
    assert said == "Wet above 50 °F or between 59 and 68 °F, the top 0.79 to 1.2 in."
    assert us.said("10 to 29 °C, −5 °C") == "50 to 84 °F, 23 °F"
    assert (us.lengths(0.4, 0.55), Speech().lengths(0.4, 0.55)) == ("0.016–0.022 in", "0.4–0.55 mm")
    assert (us.figure(10.0, "°C"), us.figure(100.0, "°C·d"), us.figure(0.1, "")) == (
        "50 °F",
        "180 °F·d",
        "0.1",
    )
    assert us.kept(50.0, "°C") == pytest.approx(10.0)
    assert [us.starts_week(NOW.replace(day=d)) for d in (7, 8)] == [True, False]
    assert Speech("en-CA").day(NOW) == "Mon 2026-06-08"
