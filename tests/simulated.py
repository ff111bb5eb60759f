"""A truth to check against: animals followed one by one on a plant, with no matrix, and
a keeper who counts what can be seen.
"""

from dataclasses import dataclass, field, replace
from datetime import date, datetime, time, timedelta

import numpy as np

from brood.core.biology.case import Evening, Inspection
from brood.core.biology.kill import effect, later, newly_exposed, residue, touched
from brood.core.biology.pest import ADULT, PREOVIPOSITION
from brood.core.biology.stage_classes import classes
from brood.core.biology.substages import chain_of
from brood.core.course import planner
from brood.core.followup.all_clear import clear_by
from brood.core.followup.detection import HIDDEN_SEEN, shown
from brood.core.followup.posterior import learn, updated

STEP = 0.25
MOST, CROWD = 6000, 1000


class Plant:
    """Gamma stage times at a constant temperature, deaths untreated, hiding drawn at
    every moult and change of place, exponential lives of adults. Days count from the
    case's start. With `for_life` an animal stays in its place while a stage lasts. What an
    act leaves behind works on: every evening where it lasts or was eaten, and on those that
    come to a new place where it is a residue.
    """

    def __init__(self, case, celsius, reach, seed, *, offset_sd=0.7, speed_cv=0.05, for_life=False):
        self.case, self.rng, self.reach = case, np.random.default_rng(seed), reach
        self.celsius = celsius = celsius + self.rng.normal(0, offset_sd)
        pace = 1 + self.rng.normal(0, speed_cv)
        self.shapes = np.array(chain_of(case.pest).counts)
        self.means = np.array([s.rate.days(celsius) for s in case.pest.stages]) / pace
        self.born, self.died = (
            float(np.interp(celsius, *np.array(t).T))
            for t in (case.pest.fecundity, case.pest.longevity)
        )
        self.lives = np.array([s.survival for s in case.pest.stages])
        self.switching = np.array(case.pest.switchings) * (0 if for_life else 1)
        self.born *= 1 + case.pest.laid_out * self.died
        self.now = datetime.combine(min(f.on for f in case.found), time(9))
        self.stage, self.left, self.hidden, self.female = (
            np.zeros(0, dtype=d) for d in (int, float, bool, bool)
        )
        self.named = [*(ADULT if s.id == PREOVIPOSITION else s.id for s in case.pest.stages), ADULT]
        self.comes = np.array(newly_exposed(case.pest))
        self.placed, self.films = [], {}
        # A female that has laid out counts as one that bears nothing, like a male.
        for group in case.found:
            self._add(case.pest.index(group.stage), self.rng.poisson(group.count), begun=True)

    def _add(self, stage, number, *, begun=False):
        grown = stage == len(self.means)
        length = np.full(number, np.inf) if grown else self._lengths(np.full(number, stage))
        left = length * self.rng.random(number) if begun and not grown else length
        self.stage = np.append(self.stage, np.full(number, stage))
        self.left = np.append(self.left, left)
        self.hidden = np.append(self.hidden, self.rng.random(number) < self.case.refuge)
        fertile = self.case.pest.female_share
        if grown and begun:
            fertile *= self.case.pest.still_laying
        self.female = np.append(self.female, self.rng.random(number) < fertile)

    def _lengths(self, stages):
        return self.rng.gamma(self.shapes[stages], self.means[stages] / self.shapes[stages])

    @property
    def alive(self):
        return len(self.stage)

    def _keep(self, which):
        self.stage, self.left, self.hidden, self.female = (
            a[which] for a in (self.stage, self.left, self.hidden, self.female)
        )

    def until(self, moment):
        """Live on to a moment."""
        while self.now < moment and self.alive:
            tonight = datetime.combine(self.now.date(), time(19))
            tonight += timedelta(days=tonight <= self.now)
            ends = min(moment, tonight) if self.placed else moment
            step = min(STEP, (ends - self.now) / timedelta(days=1))
            self.now += timedelta(days=step)
            self._grow(step)
            if self.placed and self.now >= tonight:
                self._meet(self._lasting(tonight.date()))
        self.now = moment

    def _grow(self, step):
        laying = self.stage == len(self.means)
        births = (
            self.rng.poisson(self.born * step * (laying & self.female).sum())
            if self.alive < MOST
            else 0
        )
        if self.case.pest.laid_out:
            out = self.rng.random(self.alive) < -np.expm1(-step * self.case.pest.laid_out)
            self.female &= ~(laying & out)
        stays = np.append(self.lives ** (step / self.means), np.exp(-step / self.died))
        self._keep(self.rng.random(self.alive) < stays[self.stage])
        moves = self.rng.random(self.alive) < -np.expm1(-step * self.switching)[self.stage]
        self.hidden[moves] = self.rng.random(moves.sum()) < self.case.refuge
        self.left = self.left - step
        moult = self.left <= 0
        while moult.any():
            self.stage[moult] += 1
            young = moult & (self.stage < len(self.means))
            self.left[young] += self._lengths(self.stage[young])
            self.left[moult & ~young] = np.inf
            self.hidden[moult] = self.rng.random(moult.sum()) < self.case.refuge
            if self.films:
                dies = (
                    moult & ~self.hidden & (self.rng.random(self.alive) >= self._new()[self.stage])
                )
                self._keep(~dies)
            moult = self.left <= 0
        if self.films:
            births = self.rng.binomial(births, 1 - (1 - self.case.refuge) * (1 - self._new()[0]))
        self._add(0, births)

    def evening(self, day, acts):
        """A treatment at seven."""
        self.until(datetime.combine(day, time(19)))
        at_once = [a for a in acts if not a.lasts_days]
        self._meet([effect(at_once, name, self.reach) for name in self.named])
        for act in acts:
            if act.lasts_days:
                begun = day + timedelta(days=act.starts_after)
                ends = begun + timedelta(days=act.lasts_days)
                self.placed.append((begun, ends, [effect([act], n, 1.0) for n in self.named]))
                if begun == day:
                    self._meet(self.placed[-1][2])
            for days, share in later(act):
                on, kills = (
                    day + timedelta(days=days),
                    [effect([act], n, self.reach) for n in self.named],
                )
                self.placed.append(
                    (on, on + timedelta(days=1), [1 - (1 - k) ** share for k in kills])
                )
            if residue(act, 1.0):
                self.films[act.id] = (self.now, act)

    def _lasting(self, day):
        """What earlier evenings still take of each stage on an evening."""
        stays = np.ones(len(self.named))
        for begun, ends, kills in self.placed:
            if begun <= day < ends:
                stays *= 1 - np.array(kills)
        return 1 - stays

    def _meet(self, kills):
        """What is in the open dies by its stage."""
        kills = np.array(kills)
        if kills.any():
            dies = (self.rng.random(self.alive) < kills[self.stage]) & ~self.hidden
            self._keep(~dies)

    def _new(self):
        """What films leave of those that come to a new place, by the stage entered."""
        stays = np.ones(len(self.named))
        for on, act in self.films.values():
            strength = residue(act, (self.now - on) / timedelta(days=1))
            kills = np.array([act.kill.get(n, 0.0) for n in self.named])
            stays *= 1 - self.comes * touched(act, self.reach) * kills * strength
        return stays

    def look(self, day, share=1.0, thorough=0.7):
        """What a keeper counts at nine in the morning: eggs are not counted."""
        self.until(datetime.combine(day, time(9)))
        seen = (
            shown(self.case.pest)[self.stage]
            * share
            * thorough
            * np.where(self.hidden, HIDDEN_SEEN, 1.0)
        )
        kinds = np.array(classes(self.case.pest))[self.stage]
        met = self.rng.random(self.alive) < seen
        counts = {kind: float((met & (kinds == kind)).sum()) for kind in ("young", "pupa", "adult")}
        if met.any() and not any(counts.values()):
            counts["egg"] = float(met.sum())
        return Inspection(day, {k: n for k, n in counts.items() if n}, share, thorough)


@dataclass
class Story:
    """What became of a course: evenings planned at first and in all, what two looks
    said, when truth and record became clear, and the chance alive that was claimed
    then, beside the one by the truth's own reach and warmth.
    """

    first_planned: int = 0
    looks: list = field(default_factory=list)
    done: list = field(default_factory=list)
    verdict: str = ""
    effective: float = 0.0
    kept: int = 0
    extinct_on: date | None = None
    declared_on: date | None = None
    alive_then: int = 0
    claimed: float = 0.0
    true_chance: float = 0.0


def follow(
    case, plant, *, share=1.0, thorough=0.7, look_after=(2, 3), days=220, declare=True, stops=False
):
    """Treat, look, learn and plan again as the plan says, until all clear is declared
    or the time is over.

    One who `stops` does half of the first plan and then only looks.
    """
    acts = {a.id: a for a in case.acts}
    story, known = Story(), case
    coming = list(planner.plan(planner.problem_of(case)).evenings)
    story.first_planned, due, cycle = len(coming), set(), None
    coming = coming[: -(-len(coming) // 2)] if stops else coming
    for day in (case.start + timedelta(days=n) for n in range(days)):
        if day in due:
            look = plant.look(day, share, thorough)
            story.looks.append(look)
            known = replace(case, done=tuple(story.done), start=day)
            if len(story.looks) <= len(look_after) or look.live:
                belief = learn(known, story.looks, [], day)
                if len(story.looks) == len(look_after):
                    story.verdict, story.effective = belief.verdict, belief.effective
                again = (look.live and not coming) or (
                    len(story.looks) == len(look_after) and belief.verdict != "working"
                )
                if again and not stops:
                    coming = list(planner.plan(planner.problem_of(updated(belief))).evenings)
                if len(story.looks) == len(look_after):
                    story.kept = len(story.done) + len(coming)
        if coming and day >= coming[0].on:
            ids = coming.pop(0).acts
            plant.evening(day, [acts[i] for i in ids])
            story.done.append(Evening(day, ids))
            if len(story.done) in look_after and len(story.looks) < len(look_after):
                due.add(day + timedelta(days=1))
        if stops and plant.alive > CROWD:
            return story
        if plant.alive == 0 and story.extinct_on is None:
            plant.until(datetime.combine(day, time(19)))
            story.extinct_on = day
        if not declare and not coming and len(story.looks) >= len(look_after):
            plant.until(datetime.combine(day + timedelta(days=60), time(19)))
            story.extinct_on = story.extinct_on or (None if plant.alive else day)
            return story
        if not coming and len(story.looks) >= len(look_after) and (cycle is None or day in due):
            known = replace(case, done=tuple(story.done), start=day)
            cycle = clear_by(
                known,
                story.done,
                story.looks,
                [],
                day + timedelta(days=1),
                thorough,
            )
            if cycle.settled:
                story.declared_on, story.alive_then, story.claimed = (
                    day,
                    plant.alive,
                    cycle.if_clean[-1][1],
                )
                return story
            due |= {n.on for n in cycle.needed[:1]} or {day + timedelta(days=7)}
        elif not coming and cycle is not None and not any(d > day for d in due):
            cycle = None
    return story
