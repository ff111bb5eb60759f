"""The demo household beside one's own: a process of its own, started when somebody asks."""

from __future__ import annotations

import atexit
import socket
import subprocess
import sys
from pathlib import Path


class DemoBeside:
    """The demo on the port after the household's, or the next one that is free. Nothing of
    it touches the household.
    """

    def __init__(self, folder: Path, port: int) -> None:
        self.folder, self.port = folder, port + 1
        self.child: subprocess.Popen[bytes] | None = None

    @property
    def address(self) -> str:
        """Where it answers. Empty while it is being laid out."""
        if self.child is None or self.child.poll() is not None or not _answers(self.port):
            return ""
        return f"http://127.0.0.1:{self.port}"

    def begin(self) -> None:
        """Start it, where it does not run yet."""
        if self.child is not None and self.child.poll() is None:
            return
        while _answers(self.port):
            self.port += 1
        command = [sys.executable, "-c", "from brood.cli.main import main; main()", "demo"]
        command += ["--data", str(self.folder), "--port", str(self.port)]
        # The command is this program and its own settings; nothing in it was typed.
        self.child = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        atexit.register(self.child.terminate)


def _answers(port: int) -> bool:
    """Whether something listens on a port of this machine."""
    with socket.socket() as probe:
        probe.settimeout(0.3)
        return probe.connect_ex(("127.0.0.1", port)) == 0
