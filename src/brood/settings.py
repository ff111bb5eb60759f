"""What can be set when the program starts. This is the only place that reads the environment."""

from __future__ import annotations

import os
from dataclasses import dataclass, field, fields
from pathlib import Path

import platformdirs

from brood.errors import SettingError


def _data() -> Path:
    return Path(platformdirs.user_data_dir("brood", appauthor=False))


@dataclass(frozen=True)
class Settings:
    """Start-up settings; each can be given as BROOD_<NAME> in the environment."""

    data: Path = field(
        default_factory=_data, metadata={"help": "folder that holds the household's database"}
    )
    port: int = field(default=8000, metadata={"help": "port to listen on"})
    upload_mb: int = field(
        default=20, metadata={"help": "largest logger file that is taken, in MB"}
    )
    demo: bool = field(
        default=False, metadata={"help": "say on every page that this is the demo household"}
    )
    lan: bool = field(
        default=False,
        metadata={"help": "listen on the home network and ask for the household passcode"},
    )
    hosts: tuple[str, ...] = field(
        default=("127.0.0.1", "localhost"), metadata={"help": "host names that are answered"}
    )

    def __post_init__(self) -> None:
        if not 1 <= self.port <= 65535:
            raise SettingError(f"The port must be 1 to 65535, not {self.port}.")
        if not 1 <= self.upload_mb <= 500:
            raise SettingError(f"The upload limit must be 1 to 500 MB, not {self.upload_mb}.")

    @property
    def database(self) -> Path:
        """The household's database file."""
        return self.data / "household.sqlite"


def from_environment(**given: object) -> Settings:
    """Settings from the environment, overridden by what is given and not None. Raises
    SettingError.
    """
    values: dict[str, object] = {}
    readers = {"data": Path, "port": int, "upload_mb": int}
    for item in fields(Settings):
        text = os.environ.get(f"BROOD_{item.name.upper()}")
        if text is not None and item.name in readers:
            try:
                values[item.name] = readers[item.name](text)
            except ValueError:
                raise SettingError(f"BROOD_{item.name.upper()} cannot be '{text}'.") from None
    values.update({name: value for name, value in given.items() if value is not None})
    return Settings(**values)  # type: ignore[arg-type]
