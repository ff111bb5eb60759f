"""The household passcode: only its hash is kept, and wrong tries are slowed down."""

from __future__ import annotations

import os
import secrets
from dataclasses import dataclass, field
from pathlib import Path
from threading import Lock

from sqlalchemy.orm import Session
from werkzeug.security import check_password_hash, generate_password_hash

from brood.errors import FieldErrors, TooManyTries
from brood.services.voice import preferences

KEY = "passcode_hash"
SECRET_FILE, OWNER_ONLY = "session-secret", 0o600
"""Where the key that signs sessions is kept: beside the database and never in it, so
that no copy of the household contains it.
"""
LEAST_DIGITS = 32
"""A key with fewer digits than this was cut short. Another is made."""
DIGITS = 8
FREE_TRIES, LOCK_SECONDS = 5, 600


def new_passcode() -> str:
    """Eight random digits in two groups."""
    digits = f"{secrets.randbelow(10**DIGITS):0{DIGITS}d}"
    return f"{digits[:4]} {digits[4:]}"


def set_passcode(session: Session, passcode: str) -> None:
    """Keep the hash of a passcode. Raises FieldErrors for a weak one. `new_secret` ends
    the open sessions.
    """
    bare = passcode.replace(" ", "")
    if len(bare) < 6 or len(set(bare)) < 3:
        raise FieldErrors({"passcode": "Use at least six characters, not all the same."})
    preferences.put(session, KEY, generate_password_hash(bare))


def has_passcode(session: Session) -> bool:
    """Whether a passcode is set."""
    return preferences.get(session, KEY) is not None


def fits(session: Session, passcode: str) -> bool:
    """Whether a passcode is the household's."""
    stored = preferences.get(session, KEY)
    return stored is not None and check_password_hash(stored, passcode.replace(" ", ""))


def session_secret(folder: Path) -> str:
    """The key that signs the sessions of the household in a folder. It is made on first use."""
    path = folder / SECRET_FILE
    held = path.read_text("ascii", "replace").strip() if path.is_file() else ""
    if len(held) < LEAST_DIGITS:
        return new_secret(folder)
    path.chmod(OWNER_ONLY)
    return held


def new_secret(folder: Path) -> str:
    """Make another key. It ends every open session once the pages are served again.
    Only the owner may read its file.
    """
    part, secret = folder / f"{SECRET_FILE}.part", secrets.token_hex(32)
    part.unlink(missing_ok=True)
    with open(
        os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, OWNER_ONLY), "w", encoding="ascii"
    ) as file:
        file.write(secret)
    part.replace(folder / SECRET_FILE)
    return secret


@dataclass
class Doorkeeper:
    """Counts wrong tries for each address and for all together. After five it makes
    them wait ten minutes.
    """

    tries: dict[str, list[float]] = field(default_factory=dict)
    lock: Lock = field(default_factory=Lock)

    def check(self, address: str, seconds: float) -> None:
        """Raise TooManyTries when an address, or all together, have failed too often lately."""
        with self.lock:
            for who, most in ((address, FREE_TRIES), ("*", FREE_TRIES * 6)):
                recent = [t for t in self.tries.get(who, []) if seconds - t < LOCK_SECONDS]
                self.tries[who] = recent
                if len(recent) >= most:
                    raise TooManyTries(int(LOCK_SECONDS - (seconds - recent[-most])) + 1)

    def failed(self, address: str, seconds: float) -> None:
        """Note a wrong try, at a monotonic time in seconds."""
        with self.lock:
            for who in (address, "*"):
                self.tries.setdefault(who, []).append(seconds)

    def passed(self, address: str) -> None:
        """Forget an address's wrong tries."""
        with self.lock:
            self.tries.pop(address, None)
