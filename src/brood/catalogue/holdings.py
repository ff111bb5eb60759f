"""What the catalogue holds once it is read: pests as the computation takes them, their
records, treatments, kill tables, sources.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date

from brood.catalogue.care import CareRecord, EveningBook, Sensitivity
from brood.catalogue.recipes import RecipeBook
from brood.catalogue.schema import (
    GroupRecord,
    HidingBook,
    KillRow,
    KillTable,
    MixRecord,
    PestRecord,
    PreventionRecord,
    Source,
    StateRecord,
    TreatmentRecord,
    WayInRecord,
)
from brood.catalogue.signs import Evidence
from brood.core.biology.case import Act
from brood.core.biology.pest import ADULT, PREOVIPOSITION, Pest
from brood.core.biology.plant_states import Held
from brood.core.biology.rain import Exposure
from brood.errors import InputError

CUT_SHARE = 0.33
"""The share of the plant that cutting takes when nothing else is said: at most a third
of the foliage at once (label practice, C).
"""


@dataclass(frozen=True)
class Catalogue:
    """Everything that ships, by id. Variants stand among the pests;
    `records[id].variant_of` names the pest beside which they stand.
    """

    pests: Mapping[str, Pest]
    records: Mapping[str, PestRecord]
    groups: Mapping[str, GroupRecord]
    treatments: Mapping[str, TreatmentRecord]
    kills: Mapping[str, KillTable]
    sources: Mapping[str, Source]
    evidence: Evidence
    care: Mapping[str, CareRecord]
    sensitivity: Sensitivity
    recipes: RecipeBook
    evenings: EveningBook
    hiding: HidingBook
    states: Mapping[str, StateRecord]
    mixes: Mapping[str, Sequence[MixRecord]]
    prevention: Mapping[str, PreventionRecord]
    ways_in: Mapping[str, WayInRecord]

    def pest(self, pest_id: str, *, outdoors: bool = False) -> Pest:
        """The pest with that id; `outdoors` its adults may fly off. Raises InputError with
        the ids there are.
        """
        if pest_id not in self.pests:
            known = ", ".join(sorted(self.pests))
            raise InputError(
                f"There is no pest '{pest_id[:60]}' in the catalogue.",
                field="pest",
                value=pest_id[:60],
                allowed=known,
            )
        leaves = self.records[pest_id].leaves_outdoors
        if not outdoors or leaves is None:
            return self.pests[pest_id]
        return replace(self.pests[pest_id], leaves=leaves.value)

    def act(
        self,
        treatment_id: str,
        pest_id: str,
        *,
        min_gap_days: int | None = None,
        max_applications: int | None = None,
        kill: Mapping[str, float] | None = None,
    ) -> Act:
        """A treatment as it acts on a pest, with the keeper's own label figures where
        given. Raises InputError.
        """
        if treatment_id not in self.treatments:
            known = ", ".join(sorted(self.treatments))
            raise InputError(
                f"There is no treatment '{treatment_id[:60]}' in the catalogue.",
                field="treatments",
                value=treatment_id[:60],
                allowed=known,
            )
        record, row = self.treatments[treatment_id], self.kill_row(treatment_id, pest_id)
        lasting = row is not None and row.lasting
        return Act(
            id=record.id,
            name=record.name,
            verb=record.verb,
            by_hand=record.by_hand,
            usual_days=record.usual_repeat_days,
            wears=self.care[treatment_id].wears,
            hottest_c=record.limits_c[1] if record.limits_c and not record.by_hand else None,
            released=self.care[treatment_id].technique == "release",
            opens=self.care[treatment_id].technique == "strip",
            eaten=row is not None and row.eaten,
            kill=dict(kill) if kill is not None else self.kill(treatment_id, pest_id),
            min_gap_days=record.min_gap_days if min_gap_days is None else min_gap_days,
            max_applications=record.max_applications
            if max_applications is None
            else max_applications,
            residual_days=sum(row.residual_days) / 2
            if row and row.residual_days and not lasting
            else 0.0,
            lasts_days=int(record.residual_days) if lasting else 0,
            misses=record.misses,
            kept=row is not None and row.as_kept,
            starts_after=record.starts_after,
            clashes=self._clashes(treatment_id),
            apart=self._apart(treatment_id),
            rain=self._rain(treatment_id, row),
            harvest_days=record.harvest_days,
        )

    def _clashes(self, treatment_id: str) -> frozenset[str]:
        """The treatments that are not used on the evening of another: sprays and living
        helpers, what must be dry and what wets, and what is named in either's file.
        """
        own = self.care[treatment_id]
        living = own.technique == "release"
        return frozenset(
            key
            for key, care in self.care.items()
            if key != treatment_id
            and (
                (living and care.wears)
                or (own.wears and care.technique == "release")
                or {own.soil, care.soil} == {"wet", "dry"}
                or key in own.clashes
                or treatment_id in care.clashes
            )
        )

    def _apart(self, treatment_id: str) -> tuple[tuple[str, int], ...]:
        """The treatments that keep some days from another, named in either's file."""
        out = dict(self.care[treatment_id].apart)
        for key, care in self.care.items():
            if treatment_id in care.apart:
                out[key] = care.apart[treatment_id]
        return tuple(sorted(out.items()))

    def _rain(self, treatment_id: str, row: KillRow | None) -> str:
        """How rain meets a treatment: what stays on the leaf is a film, another spray
        works by contact.
        """
        care = self.care[treatment_id]
        stays = row is not None and row.residual_days is not None and max(row.residual_days) > 1
        if care.technique == "dust":
            return Exposure.FILM
        if care.technique != "spray":
            return Exposure.NONE
        return Exposure.FILM if stays else Exposure.CONTACT

    def held(self, state: str, first: date, last: date, pest_id: str) -> Held:
        """A state of a plant over a span of days, as it bears on a pest. Raises KeyError
        for a state that there is not.
        """
        record = self.states[state]
        act = self.act(record.act, pest_id) if record.act else None
        if act is not None and not any(act.kill.values()):
            act = None
        return Held(
            state,
            first,
            last,
            self._shut_out(record),
            record.keeps_off,
            record.shuts_in,
            record.guards,
            record.frees,
            act,
        )

    def _shut_out(self, record: StateRecord) -> frozenset[str]:
        """The treatments that are not used while a state lasts."""
        named = {*record.forbids}
        return frozenset(
            key for key, care in self.care.items() if key in named or care.technique in named
        )

    def kill_row(self, treatment_id: str, pest_id: str) -> KillRow | None:
        """The row of a treatment for a pest: its own row before that of its group. None
        where the treatment does nothing.
        """
        rows = [
            r for r in self.kills[self.records[pest_id].group].row if r.treatment == treatment_id
        ]
        return next(
            (r for r in rows if r.pest == pest_id), next((r for r in rows if r.pest is None), None)
        )

    def kill(self, treatment_id: str, pest_id: str) -> dict[str, float]:
        """The kill of one evening by stage id and "adult": the time-weighted mean of
        the columns that each stage spans.

        What is cut out counts for a third of the plant. Traps and natural enemies act
        by the day and not on an evening. Their kill is one day's catch, or an even
        hazard through the week where the table gives a week's; what is kept up acts
        evenly over its days.
        """
        row = self.kill_row(treatment_id, pest_id)
        table = row.kill if row else {}
        if row and row.per_week:
            table = {column: 1 - (1 - taken) ** (1 / 7) for column, taken in table.items()}
        if row and row.as_kept:
            days = self.treatments[treatment_id].residual_days
            table = {column: 1 - (1 - taken) ** (1 / days) for column, taken in table.items()}
        share = CUT_SHARE if row and row.of_part else 1.0
        stages = self.records[pest_id].stage
        by_stage = {
            s.id: share * sum(part * table.get(column, 0.0) for column, part in s.columns.items())
            for s in stages
        }
        return {**by_stage, ADULT: by_stage[PREOVIPOSITION]}

    def offered(self, pest_id: str) -> tuple[TreatmentRecord, ...]:
        """The treatments that the pages propose for a pest: those that do something to
        a stage of it on an evening.
        """
        rows = {key: self.kill_row(key, pest_id) for key in self.treatments}
        return tuple(
            t
            for key, t in self.treatments.items()
            if t.offered
            and (row := rows[key])
            and not row.lasting
            and any(self.kill(key, pest_id).values())
        )

    def minutes(self, treatments: Iterable[str]) -> float:
        """The minutes that treatments take on one table plant."""
        return sum(self.care[t].minutes for t in treatments if t in self.care)

    def name(self, cause: str) -> str:
        """What a pest or a harmless cause is called."""
        return (
            self.records[cause].name if cause in self.records else self.evidence.causes[cause].name
        )

    def variants(self, pest_id: str) -> tuple[PestRecord, ...]:
        """The records that stand beside a pest."""
        return tuple(r for r in self.records.values() if r.variant_of == pest_id)
