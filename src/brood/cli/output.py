"""What goes to standard output and with which exit code."""

from __future__ import annotations

import functools
import json
import math
import shutil
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import IO, Any

import click

from brood.errors import BroodError, InputError, NothingDevelops

Command = Callable[..., Any]
LARGEST = 20_000_000


def finite(value: Any) -> Any:
    """The same with null for every number that is not finite."""
    if isinstance(value, float) and not math.isfinite(value):
        return None
    if isinstance(value, dict):
        return {key: finite(item) for key, item in value.items()}
    return [finite(item) for item in value] if isinstance(value, list) else value


def emit(data: dict[str, Any]) -> None:
    """One JSON object on standard output."""
    click.echo(json.dumps(finite(data), ensure_ascii=False, indent=2, allow_nan=False))


def with_json(command: Command) -> Command:
    """Add --json, and turn errors into a sentence on standard error, or a JSON object
    on standard output; exit 1.
    """

    @click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
    @functools.wraps(command)
    def run(*args: Any, as_json: bool, **kwargs: Any) -> Any:
        try:
            return command(*args, as_json=as_json, **kwargs)
        except BroodError as error:
            if as_json:
                emit({"schema": 1, "error": error_json(error)})
            else:
                click.echo(f"brood: {error}", err=True)
            sys.exit(1)

    return run


def error_json(error: BroodError) -> dict[str, Any]:
    """An error by the contract."""
    if isinstance(error, InputError):
        value = (
            error.value if isinstance(error.value, str | int | float | None) else str(error.value)
        )
        said = {
            "field": error.field or None,
            "value": value,
            "allowed": error.allowed or None,
            "message": error.message,
        }
        if isinstance(error, NothingDevelops) and error.inspect_on:
            said["inspect_on"] = error.inspect_on.isoformat()
        return said
    return {"field": None, "value": None, "allowed": None, "message": str(error)}


def read(path: str, most: int = LARGEST) -> bytes:
    """A file's bytes, or standard input for "-". Raises InputError."""
    try:
        data = sys.stdin.buffer.read(most + 1) if path == "-" else _file(Path(path), most)
    except OSError as error:
        raise InputError(
            f"'{path}' cannot be read: {error.strerror}.",
            field="file",
            value=path,
            allowed="a file, or - for standard input",
        ) from None
    if len(data) > most:
        raise InputError(
            f"'{path}' is larger than {most // 1_000_000} MB.",
            field="file",
            value=path,
            allowed="a smaller file",
        )
    return data


def opened(path: str) -> IO[bytes]:
    """A file for reading from any place of it, or standard input for "-", however large.
    Raises InputError.
    """
    try:
        if path != "-":
            return Path(path).open("rb")
        held = tempfile.TemporaryFile()  # noqa: SIM115
        shutil.copyfileobj(sys.stdin.buffer, held)
        held.seek(0)
    except OSError as error:
        raise InputError(
            f"'{path}' cannot be read: {error.strerror}.",
            field="file",
            value=path,
            allowed="a file, or - for standard input",
        ) from None
    return held


def _file(path: Path, most: int) -> bytes:
    with path.open("rb") as file:
        return file.read(most + 1)


def text(data: bytes) -> str:
    """UTF-8 text; raises InputError."""
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise InputError("This is not UTF-8 text.", field="file", allowed="UTF-8") from None
