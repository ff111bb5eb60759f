"""What happens in a household besides treating and looking, and what its keeper
changes, corrects and forgets.
"""

from __future__ import annotations

from datetime import date, timedelta

from .household import DAYS_C, KINDS, Plant
from .keeper import Case, Keeper


class Life:
    """The events of a household's year: so many chances of each a day."""

    def __init__(self, keeper: Keeper) -> None:
        self.k = keeper
        self.rates = {
            self.another_pest: 0.03,
            self.another_find: 0.05,
            self.corrects_a_find: 0.015,
            self.withdraws_a_find: 0.006,
            self.withdraws_a_look: 0.01,
            self.unmarks: 0.012,
            self.moves: 0.01,
            self.cuts: 0.006,
            self.repots: 0.006,
            self.something_lasts: 0.02,
            self.something_ends: 0.02,
            self.it_rains: 0.04,
            self.loses: 0.004,
            self.gives_away: 0.003,
            self.buys: 0.006,
            self.takes_a_cutting: 0.006,
            self.keeps_apart: 0.01,
            self.lets_back: 0.02,
            self.closes: 0.03,
            self.reopens: 0.02,
            self.changes_the_thermometer: 0.012,
            self.switches_units: 0.008,
            self.skips: 0.02,
            self.hangs_a_card: 0.015,
            self.sets_the_course: 0.008,
            self.changes_treatments: 0.01,
            self.looks_over_anything: 0.04,
            self.sets_own_dates: 0.006,
            self.something_comes_in: 0.02,
            self.comes_back: 0.006,
            self.keeps_off: 0.05,
            self.notes_a_sighting: 0.005,
        }

    def days(self, days: int) -> None:
        """What happens in so many days; the keeper acts on it now."""
        for happens, rate in self.rates.items():
            if self.k.chance(1 - (1 - rate) ** min(days, 10)):
                happens()

    def _case(self) -> Case | None:
        open_ = self.k.open_cases()
        return self.k.one(open_) if open_ else None  # type: ignore[return-value]

    def _here(self) -> Plant:
        return self.k.one([p for p in self.k.house.plants if not p.gone])  # type: ignore[return-value]

    def another_pest(self) -> None:
        """A pest of the household's turns up."""
        if len(self.k.open_cases()) < self.k.house.most_cases:
            self.k.find_a_pest()

    def another_find(self) -> None:
        """More of what a case is about is found, eggs among it."""
        case = self._case()
        if case is None:
            return
        page = self.k.get(f"/cases/{case.id}")
        form = page.form(f"/cases/{case.id}/finds")
        seen = self.k.colony(case.plant.id, case.pest).by_stage(0.3)
        if form is None or not seen:
            return
        stage = self.k.one(list(seen))
        shown = self.k._as_asked(self._asked(case), {stage: seen[stage]}, case.pest)  # type: ignore[dict-item,index]
        to, n = next(iter(shown.items()))
        answer = self.k.press(form, "", stage=to, number=n, found_on=self.k.today.isoformat())
        if answer.status_code in (200, 303):
            self.k.ledger.finds[case.id, self.k.today, to, float(n)] += 1
            self.k.report.counts["finds"] += 1
            case.touched = self.k.today

    def _asked(self, case: Case):
        """A form that asks for the stages of a pest."""
        page = self.k.get(f"/plants/{case.plant.id}/case?pest={case.pest}")
        return next(f for f in page.forms if "found_on" in f.names)

    def _finds(self, case: Case) -> list:
        page = self.k.get(f"/cases/{case.id}")
        return [f for f in page.forms if f.action.startswith("/finds/")]

    def corrects_a_find(self) -> None:
        """A number was wrong."""
        case = self._case()
        forms = self._finds(case) if case else []
        if case is None or not forms:
            return
        form = self.k.one(forms)
        old = form.values  # type: ignore[attr-defined]
        if not old.get("number"):
            return
        fresh = float(int(float(old["number"])) + 3)
        answer = self.k.press(form, "", number=f"{fresh:g}")  # type: ignore[arg-type]
        if answer.status_code in (200, 303):
            day = self.k.today.fromisoformat(old["found_on"])
            self.k.ledger.finds[case.id, day, old["stage"], float(old["number"])] -= 1
            self.k.ledger.finds[case.id, day, old["stage"], fresh] += 1

    def withdraws_a_find(self) -> None:
        """A find was none; the last one stays."""
        case = self._case()
        forms = self._finds(case) if case else []
        if case is None or len(forms) < 2:
            return
        form = self.k.one(forms)
        old, pressed = (
            form.values,
            next(n for n, b in enumerate(form.buttons) if b[1] == "withdraw"),
        )  # type: ignore[attr-defined]
        if not old.get("number"):
            return
        if self.k.press(form, "", pressed=pressed).status_code in (200, 303):  # type: ignore[arg-type]
            self.k.ledger.finds[
                case.id,
                self.k.today.fromisoformat(old["found_on"]),
                old["stage"],
                float(old["number"]),
            ] -= 1

    def withdraws_a_look(self) -> None:
        """A look was entered by mistake: it is taken out."""
        case = self._case()
        if case is None:
            return
        rows = self.k.rows(
            "select id, looked_on, plant_id, counts from inspection where case_id = ? and "
            "withdrawn_at is null",
            case.id,
        )
        if rows:
            number, on, plant, counts = rows[-1]
            form = self.k.get(f"/cases/{case.id}/follow").form(f"/inspections/{number}/withdraw")
            if (
                form is not None
                and self.k.post(form.action, form.values, twice=True).status_code == 303
            ):
                self.k.ledger.looks[
                    plant, case.id, self.k.today.fromisoformat(on), self.k.live(counts)
                ] -= 1

    def unmarks(self) -> None:
        """An evening was not done after all."""
        case = self._case()
        done = [on for number, on in self.k.ledger.done if case and number == case.id]
        if case is None or not done:
            return
        form = next(
            (
                f
                for f in self.k.get(f"/cases/{case.id}").forms
                if any("withdraw" in b[3] for b in f.buttons)
            ),
            None,
        )
        if form is None:
            return
        day = self.k.today.fromisoformat(form.values["done_on"])
        was_done = self._outcome(int(form.action.split("/")[2])) == "done"
        pressed = next(n for n, b in enumerate(form.buttons) if "withdraw" in b[3])
        if self.k.press(form, "", pressed=pressed).status_code in (200, 303):
            # A missed evening can be taken back too: then nothing was done on that day.
            for other in (c for c in self.k.cases if was_done and c.plant is case.plant):
                if other is case or not self._on_record(other, day):
                    self.k.ledger.done.discard((other.id, day))

    def _outcome(self, slot: int) -> str:
        """What was said last of an evening."""
        said = self.k.rows(
            "select outcome from application_record where application_id = ? and withdrawn_at is "
            "null order by id desc limit 1",
            slot,
        )
        return str(said[0][0]) if said else ""

    def _on_record(self, case: Case, day: date) -> bool:
        told = self.k.rows(
            "select 1 from application_record r join application a on a.id = r.application_id"
            " where a.case_id = ? and r.done_on = ? and r.withdrawn_at is null",
            case.id,
            day.isoformat(),
        )
        return bool(list(told))

    def moves(self) -> None:
        """A plant is put somewhere else."""
        plant, places = self._here(), self.k.house.places
        to = self.k.one(places)
        form = next(
            (f for f in self.k.get(f"/plants/{plant.id}/edit").forms if "since" in f.names), None
        )
        if (
            form is not None
            and self.k.press(form, f"/plants/{plant.id}/edit", place=to.id).status_code == 303
        ):  # type: ignore[attr-defined]
            plant.place = to  # type: ignore[assignment]

    def _event(self, plant: Plant, kind: str, **more: object) -> bool:
        data = {"kind": kind, "on": self.k.today.isoformat(), "note": "", **more}
        answer = self.k.post(f"/plants/{plant.id}/event", data)
        if answer.status_code == 303:
            self.k.ledger.events[plant.id, self.k.today, kind] += 1
        return answer.status_code == 303

    def cuts(self) -> None:
        """A plant is cut back."""
        plant = self._here()
        leaves = int(self.k.rng.integers(1, 19))
        told: dict[str, object] = {"leaves": leaves, "of_leaves": 18, "sure": "1"}
        if self._event(plant, "cut", **(told if self.k.chance(0.7) else {})):
            for (where, _), colony in self.k.colonies.items():
                if where == plant.id:
                    colony.cut(0.4)

    def repots(self) -> None:
        """A plant is repotted."""
        self._event(self._here(), "repotted")

    def something_lasts(self) -> None:
        """Roots held bare, a net, a dry surface, ants: from today or some days ago."""
        since = self.k.today - timedelta(days=int(self.k.rng.integers(0, 4)))
        kinds = ("bare", "netting", "dry-surface", "ant-band", "ants", "repellent")
        data = {"state": self.k.one(list(kinds)), "since": since.isoformat()}
        self.k.post(f"/plants/{self._here().id}/state", data)

    def something_ends(self) -> None:
        """A state is looked after, lengthened, ended or taken back."""
        rows = self.k.rows("select id from plant_state where withdrawn_at is null")
        if rows:
            act = self.k.one(["care", "lengthen", "end", "withdraw"])
            self.k.post(f"/plants/states/{self.k.one(rows)[0]}/{act}", {})  # type: ignore[index]

    def it_rains(self) -> None:
        """Rain is told with a tap at a place outdoors."""
        out = [p for p in self.k.house.places if p.setting == "outdoor"]
        if out:
            how = self.k.one(["hard", "little"])
            self.k.post(f"/places/{self.k.one(out).id}/rain", {"how": how})  # type: ignore[attr-defined]

    def loses(self) -> None:
        """A plant dies."""
        self._goes("lost")

    def gives_away(self) -> None:
        """A plant is given away; whoever takes it is told where the application asks for that."""
        self._goes("given", told="1")

    def _goes(self, kind: str, **more: object) -> None:
        here = [p for p in self.k.house.plants if not p.gone]
        plant = self._here()
        if len(here) > 2 and self._event(plant, kind, **more):
            plant.gone = True
            self.k.ledger.apart.discard(plant.id)

    def buys(self) -> None:
        """A newcomer, kept apart."""
        plant = Plant(
            f"Lemon {len(self.k.house.plants)}",
            str(self.k.one(list(KINDS))),
            "",
            self.k.one(self.k.house.places),
        )  # type: ignore[arg-type]
        self.k._add_plant(plant)
        self.k.house.plants.append(plant)
        self._apart(plant, "newcomer")

    def _apart(self, plant: Plant, reason: str) -> None:
        if self.k.post("/quarantine", {"plant": plant.id, "reason": reason}).status_code == 303:
            self.k.ledger.apart.add(plant.id)

    def keeps_apart(self) -> None:
        """A plant is kept apart."""
        self._apart(self._here(), "sick")

    def takes_a_cutting(self) -> None:
        """A cutting of a plant, with a little of what the plant has."""
        mother = self._here()
        name = f"{mother.name}, cutting {len(self.k.house.plants)}"
        answer = self.k.post(f"/plants/{mother.id}/cutting", {"name": name})
        if answer.status_code != 303:
            return
        number = int(answer.headers["Location"].rsplit("/", 1)[1])
        found = self.k.rows("select plant_id from quarantine where id = ?", number)
        cutting = Plant(name, mother.kind, mother.build, mother.place, found[0][0])
        self.k.house.plants.append(cutting)
        self.k.ledger.apart.add(cutting.id)
        had = [c.pest for c in self.k.open_cases() if c.plant is mother]
        self.k.cuttings[cutting.id] = had
        for pest in had:
            if self.k.colony(mother.id, pest).alive and self.k.chance(0.5):
                self.k.colony(cutting.id, pest).arrive(0, 3)
        page = self.k.get(f"/quarantine/{number}")
        for pest in had:
            if self.k.catalogue.name(pest).lower() not in page.text.lower():
                self.k.fault(
                    "inherited",
                    f"/quarantine/{number}",
                    f"{self.k.catalogue.name(pest)} is not named: {page.text[:160]}",
                )
        self.k.free_without_a_look(page, number, cutting.id)

    def something_comes_in(self) -> None:
        """Flowers, produce, clothes, soil, a tree outside, or an end of one of them."""
        rows = self.k.rows("select id from way_in where withdrawn_at is null and plant_id is null")
        if rows and self.k.chance(0.3):
            act = self.k.one(["gone", "take-back"])
            self.k.post(f"/season/came-in/{self.k.one(rows)[0]}/{act}", {})  # type: ignore[index]
            return
        what = self.k.one(["flowers", "produce", "clothes", "soil", "outside"])
        place = self.k.one(self.k.house.places)
        data = {"what": what, "place": place.id, "brings-mealybug": "1"}  # type: ignore[attr-defined]
        self.k.post("/season/came-in", data, twice=True)

    def comes_back(self) -> None:
        """A plant comes back from outdoors and is kept apart."""
        plant, to = self._here(), self.k.one(self.k.house.places)
        data = {"what": "outdoors", "place": to.id, "plant": plant.id}  # type: ignore[attr-defined]
        if self.k.post("/season/came-in", data).status_code == 303:
            plant.place = to  # type: ignore[assignment]
            self.k.ledger.apart.add(plant.id)

    def keeps_off(self) -> None:
        """Prevention that the season's page asks for is begun, or left out."""
        forms = [f for f in self.k.get("/season").forms if f.action == "/season/begin"]
        if forms:
            self.k.press(self.k.one(forms), "/season")  # type: ignore[arg-type]

    def notes_a_sighting(self) -> None:
        """A first sighting of an earlier year is remembered."""
        pest, place = self.k.one(list(self.k.catalogue.records)), self.k.one(self.k.house.places)
        on = self.k.today - timedelta(days=int(self.k.rng.integers(200, 1200)))
        data = {"pest": pest, "place": place.id, "on": on.isoformat()}  # type: ignore[attr-defined]
        self.k.post("/season/sightings", data)

    def lets_back(self) -> None:
        """Tick the way back and let a plant back, whatever the looks say."""
        rows = self.k.rows("select id, plant_id from quarantine where released_on is null")
        if not rows:
            return
        number, plant = self.k.one(rows)  # type: ignore[misc]
        page = self.k.get(f"/quarantine/{number}")
        self.k.free_without_a_look(page, number, plant)
        for form in page.forms:
            if form.action.endswith("/step") and "Done." not in page.text:
                self.k.press(form, "")
        answer = self.k.post(f"/quarantine/{number}/release", {})
        if answer.status_code == 303:
            self.k.ledger.apart.discard(plant)
            if plant not in self.k.looked:
                self.k.fault(
                    "unlooked", f"/quarantine/{number}/release", "let back, and nobody looked at it"
                )

    def closes(self) -> None:
        """A case is closed, early or not."""
        case = self._case()
        if case is None:
            return
        sure = {"sure": "1"} if self.k.chance(0.3) else {}
        answer = self.k.post(
            f"/cases/{case.id}/close", {**self._close_form(case), **sure}, twice=True
        )
        if answer.status_code in (200, 204, 303) and "closing" not in answer.headers.get(
            "Location", ""
        ):
            self.k.ledger.closed.add(case.id)

    def _close_form(self, case: Case) -> dict[str, str]:
        form = self.k.get(f"/cases/{case.id}").form(f"/cases/{case.id}/close")
        if form is None:
            return {}
        name, value, _, _ = form.buttons[0]
        return {**form.values, **({name: value} if name else {})}

    def reopens(self) -> None:
        """A closed case is opened again."""
        closed = [c for c in self.k.cases if c.id in self.k.ledger.closed and not c.plant.gone]
        if not closed or len(self.k.open_cases()) > self.k.house.most_cases:
            return
        case = self.k.one(closed)
        if any(c.plant is case.plant and c.pest == case.pest for c in self.k.open_cases()):  # type: ignore[attr-defined]
            return
        form = self._close_form(case)  # type: ignore[arg-type]
        if self.k.post(f"/cases/{case.id}/close", form).status_code in (200, 204, 303):  # type: ignore[attr-defined]
            self.k.ledger.closed.discard(case.id)  # type: ignore[attr-defined]
            case.touched, case.declared = self.k.today, False  # type: ignore[attr-defined]

    def changes_the_thermometer(self) -> None:
        """A place is warmer or cooler from now on, or is known in another way."""
        place = self.k.one(self.k.house.places)
        if place.source in ("constant", "set-points"):  # type: ignore[attr-defined]
            day, night = DAYS_C[int(self.k.rng.integers(len(DAYS_C)))]
            place.points = (float(day), float(day if place.source == "constant" else night))  # type: ignore[attr-defined]
            place.climate.points = place.points  # type: ignore[attr-defined]
        spot = self.k.degrees_of(float(self.k.rng.integers(0, 4)))
        self.k.post(
            f"/places/{place.id}/edit",
            {**self.k._warmth(place), "warm_spot": spot, "cool_spot": spot},
        )  # type: ignore[attr-defined,arg-type]

    def switches_units(self) -> None:
        """°F for °C, or back."""
        self.k.settings("F" if self.k.house.unit == "C" else "C")

    def skips(self) -> None:
        """An evening is said to be skipped."""
        case = self._case()
        form = None
        if case is not None:
            page = self.k.get(f"/cases/{case.id}")
            form = next(
                (
                    f
                    for f in page.forms
                    if f.action.startswith("/evenings/")
                    and any(b[1] == "skipped" for b in f.buttons)
                ),
                None,
            )
        if case is not None and form is not None and "done_on" not in form.names:
            self.k.press(
                form, "", pressed=next(n for n, b in enumerate(form.buttons) if b[1] == "skipped")
            )
            case.touched = self.k.today

    def hangs_a_card(self) -> None:
        """A sticky card."""
        case = self._case()
        if case is not None:
            self.k.post(
                f"/cases/{case.id}/cards",
                {
                    "colour": str(self.k.one(["yellow", "blue"])),
                    "placed_on": self.k.today.isoformat(),
                },
            )

    def sets_the_course(self) -> None:
        """Days that suit, a number to hold, an absence."""
        case = self._case()
        if case is None:
            return
        form = next(
            (f for f in self.k.get(f"/cases/{case.id}/course").forms if "aim" in f.names), None
        )
        if form is None:
            return
        away = (
            self.k.today + timedelta(days=6),
            self.k.today + timedelta(days=6 + int(self.k.rng.integers(4, 25))),
        )
        if (
            self.k.press(
                form,
                f"/cases/{case.id}/course",
                **{"from-0": away[0].isoformat(), "to-0": away[1].isoformat()},
            ).status_code
            == 303
        ):
            case.away = away

    def changes_treatments(self) -> None:
        """Another treatment is added, or one given up."""
        case = self._case()
        if case is None:
            return
        path = f"/cases/{case.id}/means"
        form = next(
            (f for f in self.k.get(path).forms if any(n.startswith("act-") for n in f.names)), None
        )
        if form is None:
            return
        acts = [n for n in form.names if n.startswith("act-")]
        data = {**form.values, str(self.k.one(acts)): "1"}
        self.k.post(path, data)

    def looks_over_anything(self) -> None:
        """Any plant is looked over, by the way."""
        self.k.look_over(self._here())

    def sets_own_dates(self) -> None:
        """The keeper moves the dates."""
        case = self._case()
        if case is not None:
            days = [self.k.today + timedelta(days=n) for n in (1, 8, 15)]
            self.k.post(f"/cases/{case.id}/dates", {"dates": ",".join(d.isoformat() for d in days)})
