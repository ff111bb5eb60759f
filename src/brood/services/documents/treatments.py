"""The treatment catalogue as rows: kill by group and stage, limits, hazards, plants
that it injures.
"""

from __future__ import annotations

from typing import Any

from brood.catalogue.care import Marked
from brood.catalogue.holdings import Catalogue


def injured_by(catalogue: Catalogue, treatment: str) -> list[str]:
    """The plants and traits that a treatment often injures."""
    every: list[Marked] = [*catalogue.sensitivity.named, *catalogue.sensitivity.marked]
    held = {treatment, *catalogue.treatments[treatment].holds}
    return [one.name for one in every if held.intersection(one.injured_by)]


def as_json(catalogue: Catalogue) -> dict[str, Any]:
    """Every treatment as JSON, by the contract."""
    rows = []
    for key, record in catalogue.treatments.items():
        care = catalogue.care[key]
        kills = {
            group: row
            for group, table in catalogue.kills.items()
            for row in table.row
            if row.treatment == key and row.pest is None
        }
        rows.append(
            {
                "id": key,
                "name": record.name,
                "strength": record.strength,
                "mode_of_action_group": record.resistance_group,
                "acts_by": record.acts_by,
                "kill": {
                    group: {
                        "by_stage": row.kill,
                        "per": "day" if row.per_day else "week" if row.per_week else "use",
                        "grade": row.grade,
                        "residual_days": list(row.residual_days) if row.residual_days else None,
                    }
                    for group, row in kills.items()
                },
                "residual_days": record.residual_days,
                "residual_half_life_days": {
                    g: sum(r.residual_days) / 2
                    for g, r in kills.items()
                    if r.residual_days and not r.lasting
                },
                "min_gap_days": record.min_gap_days,
                "max_applications": record.max_applications,
                "usual_repeat_days": list(record.usual_repeat_days),
                "limits_c": list(record.limits_c) if record.limits_c else None,
                "light": care.light,
                "soil": care.soil,
                "harvest_days": record.harvest_days,
                "edible": care.edible,
                "supply": care.supply,
                "ladder": care.rung,
                "minutes": care.minutes,
                "wait_for_enemies_days": list(care.enemies_days),
                "hazards": {
                    who: {"level": h.level, "text": h.text} for who, h in care.hazards.items()
                },
                "local_rules": care.local or None,
                "needs_labelled_product": care.needs_product,
                "unsuitable_plants": injured_by(catalogue, key),
                "not_for_kinds": list(record.not_for),
                "cautions": list(record.cautions),
                "source": record.source,
                "grade": record.grade,
            }
        )
    return {"schema": 1, "treatments": rows}
