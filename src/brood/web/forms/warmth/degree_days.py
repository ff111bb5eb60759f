"""The form of the degree-day bench."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

from brood.core.climate.degree_days import CUTOFFS, METHODS
from brood.services.warmth.degree_days import Bench
from brood.web.forms.reader import Reader

BACK, AHEAD = 28, 14


@dataclass(frozen=True)
class BenchSaid:
    """What was asked: the bench, and for a place its first and last day."""

    bench: Bench
    first: date
    last: date


def read(reader: Reader) -> BenchSaid:
    """The bench as typed; raises FieldErrors."""
    lower = reader.celsius("lower", "The lower threshold") if reader.raw("lower") else 10.0
    upper = reader.celsius("upper", "The upper threshold") if reader.raw("upper") else None
    if upper is not None and upper <= lower:
        reader.fault("upper", "The upper threshold must be above the lower one.")
    method = reader.choice("method", METHODS, "a method") if reader.raw("method") else METHODS[0]
    cutoff = reader.choice("cutoff", CUTOFFS, "a cut-off") if reader.raw("cutoff") else CUTOFFS[0]
    first = (
        reader.day("first", "The first day", back=760)
        if reader.raw("first")
        else reader.today - timedelta(days=BACK)
    )
    last = (
        reader.day("last", "The last day", back=760, ahead=180)
        if reader.raw("last")
        else reader.today + timedelta(days=AHEAD)
    )
    if last < first:
        reader.fault("last", "The last day comes before the first.")
    biofix = (
        reader.day("biofix", "The biofix", back=1500, ahead=180) if reader.raw("biofix") else None
    )
    reader.done()
    return BenchSaid(Bench(lower, upper, method, cutoff, biofix), first, last)
