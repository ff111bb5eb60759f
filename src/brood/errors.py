"""Every error that Brood raises on purpose.

BroodError
├── InputError            something a person gave cannot be used (status 422, exit 1)
│   ├── FieldErrors       several of them at once, by field
│   ├── ModelError        impossible figures for a development model
│   ├── NothingDevelops   it is too cold for anything to develop
│   └── LeftAlone         nobody looked for longer than a generation: count again
├── NotFound              no such plant, place, case … (status 404)
├── TooManyTries          wait before trying a passcode again (status 429)
├── CatalogueError        the shipped catalogue is faulty; carries every fault
└── SettingError          the program was started with a setting that cannot work
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date


class BroodError(Exception):
    """Something went wrong that can be told in a sentence."""


class InputError(BroodError):
    """Something given cannot be used.

    `field` names what was asked for, `value` what was given, `allowed` what would do.
    """

    def __init__(
        self, message: str, *, field: str = "", value: object = None, allowed: str = ""
    ) -> None:
        super().__init__(message)
        self.message, self.field, self.value, self.allowed = message, field, value, allowed


class FieldErrors(InputError):
    """Several fields of one form cannot be used: `by_field` holds a sentence for each."""

    def __init__(self, by_field: Mapping[str, str]) -> None:
        super().__init__(" ".join(by_field.values()), field=next(iter(by_field), ""))
        self.by_field = dict(by_field)


class ModelError(InputError):
    """A development model has impossible figures."""


class NothingDevelops(InputError):
    """All the hours are below every threshold, or too hot, so there is nothing to time;
    `inspect_on` is when to look again instead, `limit_c` the °C at which it stops.
    """

    inspect_on: date | None = None
    limit_c: float | None = None
    too_hot: bool = False


class LeftAlone(InputError):
    """Nothing is known of a case since a day that is too long ago for any number to hold."""

    def __init__(self, since: date) -> None:
        super().__init__(
            "Nobody has looked or treated for so long that nobody knows how many live there now. "
            "Count again; a new course begins from that.",
            field="found",
        )
        self.since = since


class NotWorkedOut(InputError):
    """The plan of a case is not there yet: it is being worked out."""

    def __init__(self) -> None:
        super().__init__("The dates are being worked out. Come back in a moment.", field="plan")


class ChangedMeanwhile(InputError):
    """What was to be changed was changed by somebody else meanwhile; the message says to
    what.
    """


class NotFound(BroodError):
    """What was asked for is not there."""


class TooManyTries(BroodError):
    """A passcode was tried too often; `seconds` says how long to wait."""

    def __init__(self, seconds: int) -> None:
        super().__init__(
            f"Too many wrong passcodes. Try again in {max(1, round(seconds / 60))} min."
        )
        self.seconds = seconds


class CatalogueError(BroodError):
    """The catalogue is faulty; `faults` lists file, record and key of each fault."""

    def __init__(self, faults: Sequence[str]) -> None:
        super().__init__(
            "The catalogue has faults:\n" + "\n".join(f"  {fault}" for fault in faults)
        )
        self.faults = tuple(faults)


class SettingError(BroodError):
    """A start-up setting cannot work."""
