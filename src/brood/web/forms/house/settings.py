"""The settings form."""

from __future__ import annotations

from brood.services.voice.preferences import CHOICES, Preferences, zones
from brood.web.forms.reader import Reader

SWITCHES = ("shortcuts", "words", "rhythm")


def read(reader: Reader, now: Preferences) -> Preferences:
    """Settings as chosen. What the form leaves out stays as it is now. Raises FieldErrors."""
    chosen = {
        name: reader.choice(name, allowed, "a setting")
        if name in reader.form
        else getattr(now, name)
        for name, allowed in CHOICES.items()
        if name not in SWITCHES
    }
    chosen["zone"] = reader.raw("zone") if "zone" in reader.form else now.zone
    if chosen["zone"] and chosen["zone"] not in zones():
        reader.fault(
            "zone",
            f"“{chosen['zone'][:40]}” is no time zone that is known here. Choose one from "
            "the list, such as Europe/Lisbon.",
        )
    evenings = (
        "".join(str(n) for n in range(7) if reader.raw(f"evening-{n}"))
        if reader.raw("evenings_asked")
        else now.evenings
    )
    if not evenings:
        reader.fault("evenings", "Leave at least one evening free, or nothing can be planned.")
    reader.done()
    switches = {name: "on" if reader.raw(name) else "off" for name in SWITCHES}
    return Preferences(**chosen, **switches, evenings=evenings)
