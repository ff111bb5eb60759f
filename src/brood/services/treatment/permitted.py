"""What may be done to a plant, in its place, in this household: what is not offered and
why, the warnings, and the cautions.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date

from brood.catalogue.care import CareRecord
from brood.catalogue.holdings import Catalogue
from brood.catalogue.schema import TreatmentRecord
from brood.services.house.plants import is_eaten
from brood.services.house.who_lives_here import Residents, goes_to
from brood.services.treatment.shelf import product_for, usable
from brood.services.voice.speech import days, listed
from brood.store.place_tables import Place
from brood.store.tables import Plant, StockItem

OUTDOORS = ("outdoor", "balcony")
TURNED, HEAVY = ("bath", "dip", "heat", "unpot"), ("tree",)
"""Techniques for which the plant is turned over or lifted out, and sizes too big for all."""
MOST_IN_A_LIFE, MOST_IN_A_COURSE = 3, 5
"""So often a group of products is used in a generation, and in a course, before another
takes its place (our judgement, C).
"""
THOUGHT = "Cats, fish and children are thought to live with you until you say who does."
HOME_ONLY = ("alcohol-swab", "alcohol-spray", "peroxide-drench")
"""Treatments for which there is no product. On what is eaten they are not offered at all."""


@dataclass(frozen=True)
class UseSetting:
    """Where a treatment would be used: the plant, its place, who lives there, what
    stands on the shelf, what else is done, and what marked the plant before (the last
    day by treatment).
    """

    plant: Plant
    place: Place | None
    household: Residents
    shelf: Sequence[StockItem]
    today: date
    harvest: date | None = None
    chosen: frozenset[str] = frozenset()
    used: tuple[tuple[date, str], ...] = ()
    generation_days: float | None = None
    injured: Mapping[str, date] = field(default_factory=dict)

    @property
    def kind(self) -> str:
        """indoor, glasshouse, balcony or outdoor."""
        return self.place.setting if self.place else "indoor"


@dataclass(frozen=True)
class Offer:
    """A treatment as it stands here. `refused` says why it is not offered, `warnings`
    what speaks against it, `cautions` what to watch.
    """

    record: TreatmentRecord
    care: CareRecord
    refused: tuple[str, ...]
    warnings: tuple[str, ...]
    cautions: tuple[str, ...]
    product: StockItem | None
    home_mix: bool

    @property
    def allowed(self) -> bool:
        """Whether it is offered."""
        return not self.refused


def may_be_forbidden(catalogue: Catalogue, treatment: str, plant: Plant) -> bool:
    """Whether there is anything that could forbid a treatment on a plant once it is
    planned, beside the harvest.
    """
    care = catalogue.care[treatment]
    harmful = any(hazard.level == "danger" for hazard in care.hazards.values())
    return (
        harmful
        or care.supply == "product"
        or (is_eaten(plant) and (care.edible == "never" or treatment in HOME_ONLY))
    )


def forbidden(catalogue: Catalogue, treatment: str, here: UseSetting) -> str:
    """Why a treatment that is planned must not be used as things stand: who lives there,
    or the harvest. Empty where nothing forbids it.
    """
    record, care = catalogue.treatments[treatment], catalogue.care[treatment]
    eaten = is_eaten(here.plant)
    product = product_for(usable(list(here.shelf), here.today), treatment, here.kind, eaten=eaten)
    why = [*_law(record, here), *_creatures(care, here)]
    why += _food(record, care, here, product, eaten=eaten)
    return why[0] if why else ""


def offers(catalogue: Catalogue, pest_id: str, here: UseSetting) -> list[Offer]:
    """Every treatment that works on a pest, as it stands here: those offered without a
    warning first, then by rung of the ladder.
    """
    every = [
        offer(catalogue, key, here)
        for key in catalogue.treatments
        if any(catalogue.kill(key, pest_id).values())
    ]
    return sorted(every, key=lambda o: (not o.allowed, bool(o.warnings), o.care.rung))


def offer(catalogue: Catalogue, treatment: str, here: UseSetting) -> Offer:
    """One treatment as it stands here."""
    record, care = catalogue.treatments[treatment], catalogue.care[treatment]
    eaten = is_eaten(here.plant)
    product = product_for(usable(list(here.shelf), here.today), treatment, here.kind, eaten=eaten)
    refused = [*_law(record, here), *_creatures(care, here)]
    refused += _food(record, care, here, product, eaten=eaten)
    refused += [*_soil(record, care, catalogue, here), *_enemies(care, catalogue, here)]
    refused += _too_big(care, here)
    if care.needs_product and product is None:
        refused.append(
            "Only with a product whose label allows it at such a place, put on the shelf first."
        )
    home = care.supply == "home" and not eaten and product is None
    warnings, cautions = (
        _warnings(catalogue, record, care, here),
        _cautions(record, care, here, eaten=eaten),
    )
    return Offer(record, care, tuple(refused), tuple(warnings), tuple(cautions), product, home)


def _law(record: TreatmentRecord, here: UseSetting) -> list[str]:
    """Why it is not used where the keeper lives."""
    if record.id not in here.household.barred:
        return []
    return ["You marked it as not allowed where you live."]


def _creatures(care: CareRecord, here: UseSetting) -> list[str]:
    """Why it does not suit this household or place."""
    out = []
    for who, hazard in care.hazards.items():
        if hazard.level != "danger":
            continue
        near = goes_to(here.household, here.place, who)
        if who == "bees":
            lasting = care.technique == "granules"
            near = here.kind in OUTDOORS and (lasting or "in-flower" in here.plant.marks)
        elif who in ("asthma",):
            near = who in here.household.living and here.kind not in OUTDOORS
        elif who == "pregnancy":
            near = who in here.household.living
        if near:
            out.append(hazard.text if here.household.told else f"{hazard.text} {THOUGHT}")
    return out


def _food(
    record: TreatmentRecord,
    care: CareRecord,
    here: UseSetting,
    product: StockItem | None,
    *,
    eaten: bool,
) -> list[str]:
    """Why it does not suit what is eaten, or comes too near the harvest."""
    out = []
    if eaten and care.edible == "never":
        out.append("Not on plants of which parts are eaten.")
    if eaten and product is None and record.id in HOME_ONLY:
        out.append(
            "Parts of this plant are eaten: no home mix, because nobody has tested what stays on "
            "it."
        )
    wait = (
        product.harvest_days
        if product and product.harvest_days is not None
        else record.harvest_days
    )
    if (
        here.harvest is not None
        and care.supply != "hand"
        and 0 <= (here.harvest - here.today).days < wait
    ):
        out.append(
            f"The harvest comes in {days((here.harvest - here.today).days)}; it must wait "
            f"{days(wait)} after this."
        )
    return out


def _too_big(care: CareRecord, here: UseSetting) -> list[str]:
    """Why it cannot be done to a plant of this size, or to one in a bed."""
    if care.technique not in TURNED:
        return []
    if here.plant.build == "head" or here.kind == "outdoor":
        return ["It stands in the open ground: it can be neither turned over nor lifted out."]
    heavy = HEAVY if care.technique == "unpot" else (*HEAVY, "floor")
    if here.plant.size in heavy:
        return ["It is too big for this: wipe or spray it where it stands."]
    return []


def _soil(
    record: TreatmentRecord, care: CareRecord, catalogue: Catalogue, here: UseSetting
) -> list[str]:
    """Why it conflicts with what is done to the soil, or with this plant's need of water."""
    if care.soil == "any":
        return []
    if care.soil == "dry" and here.plant.kind in record.not_for:
        return ["Seedlings and herbs need an even moisture: they would wilt before the larvae do."]
    against = [
        key
        for key in here.chosen
        if key != record.id and catalogue.care[key].soil not in ("any", care.soil)
    ]
    if not against:
        return []
    names = listed([catalogue.treatments[key].name for key in sorted(against)])
    if care.soil == "dry":
        return [f"It works only in dry soil, and {names} only in moist soil: one or the other."]
    return [f"It works only in moist soil, and {names} only in dry soil: one or the other."]


def _enemies(care: CareRecord, catalogue: Catalogue, here: UseSetting) -> list[str]:
    """How long natural enemies must wait after what was used, and that they and sprays
    do not go together.
    """
    if care.supply != "living":
        return []
    out = []
    waits = [
        (day.toordinal() + catalogue.care[key].enemies_days[1], key)
        for day, key in here.used
        if catalogue.care[key].enemies_days[1]
    ]
    until, key = max(waits, default=(0, ""))
    if until > here.today.toordinal():
        out.append(
            f"Wait until {date.fromordinal(until).isoformat()}: what "
            f"{catalogue.treatments[key].name} left behind would harm them."
        )
    harms = [key for key in sorted(here.chosen) if catalogue.care[key].enemies_days[1] > 1]
    if harms:
        out.append(
            f"The course uses {listed([catalogue.treatments[k].name for k in harms])}, "
            "which harms them: choose one or the other."
        )
    return out


def _warnings(
    catalogue: Catalogue, record: TreatmentRecord, care: CareRecord, here: UseSetting
) -> list[str]:
    """What speaks against it without excluding it."""
    out = []
    for one in catalogue.sensitivity.of(
        f"{here.plant.name} {here.plant.species}", tuple(here.plant.marks)
    ):
        if {record.id, *record.holds}.intersection(one.injured_by):
            note = getattr(one, "note", "")
            out.append(f"Often injures {one.name}. {note}".strip())
    held = [record, *(catalogue.treatments[key] for key in record.holds)]
    if any(here.plant.kind in one.not_for for one in held):
        out.append("Often injures this kind of plant.")
    hurt = next((act for act in (record.id, *record.holds) if act in here.injured), "")
    if hurt and care.supply != "hand":
        ago = days((here.today - here.injured[hurt]).days)
        name = catalogue.treatments[hurt].name
        out.append(f"{name[:1].upper()}{name[1:]} marked this plant {ago} ago.")
    if here.plant.sensitive and care.technique == "spray":
        out.append("You marked this plant as easily injured by sprays.")
    if care.close is not None:
        most, span = care.close
        recent = sum(
            1 for day, key in here.used if key == record.id and (here.today - day).days < span
        )
        if recent >= most:
            out.append(
                f"Used {recent} times in {days(span)}: more strips the leaf of its wax. "
                "Wipe in between, or wait."
            )
    if _too_often(catalogue, record, here):
        out.append(
            f"Group {record.resistance_group} was used often enough in this course: "
            "change to another group before they are used to it."
        )
    return out


def _too_often(catalogue: Catalogue, record: TreatmentRecord, here: UseSetting) -> bool:
    """Whether a group of products was used three times in a generation, five times in the
    course, or over more than a generation.
    """
    same = sorted(day for day, key in here.used if _same_group(catalogue, key, record))
    life = here.generation_days
    if len(same) >= MOST_IN_A_COURSE:
        return True
    if not same or not life:
        return False
    lately = sum((here.today - day).days < life for day in same)
    return lately >= MOST_IN_A_LIFE or (same[-1] - same[0]).days > life


def _same_group(catalogue: Catalogue, key: str, record: TreatmentRecord) -> bool:
    return (
        record.resistance_group not in ("none", "", "UNM")
        and catalogue.treatments[key].resistance_group == record.resistance_group
    )


def _cautions(
    record: TreatmentRecord, care: CareRecord, here: UseSetting, *, eaten: bool
) -> list[str]:
    """The cautions here: the treatment's own, then those for who lives there."""
    out = list(record.cautions)
    if eaten and care.supply != "hand" and care.edible == "labelled":
        text = (
            "Parts of this plant are eaten: only a product labelled for this crop, at its rate "
            "and with its waiting time; wash what you pick."
        )
        out.insert(0, text)
    if care.local:
        out.append(
            care.local + (f" You noted: {here.household.region}" if here.household.region else "")
        )
    for who, hazard in care.hazards.items():
        if who == "bees" and here.kind in OUTDOORS:
            out.append(f"Bees: {hazard.text}")
        elif (
            who in here.household.living
            and hazard.level == "care"
            and (who in ("children", "asthma") or goes_to(here.household, here.place, who))
        ):
            out.append(f"{who.capitalize()}: {hazard.text}")
    return out
