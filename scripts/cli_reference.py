"""Writes docs/cli.md from the commands' own help. Run after a change to a command."""

from __future__ import annotations

import inspect
from pathlib import Path

import click

from brood.cli.main import main

OUT = Path(__file__).parents[1] / "docs" / "cli.md"
HEAD = """# The command line

Made from the commands' own help by `scripts/cli_reference.py`; a test compares the two.
Data goes to standard output, words to standard error; exit 0 good, 1 failed, 2 misused;
`-` reads standard input; `--json` prints one JSON object with `"schema": 1`.
"""


def reference() -> str:
    """The whole page."""
    parts = [HEAD]
    for name, command in sorted(main.commands.items()):
        parent = click.Context(main, info_name="brood", **main.context_settings)
        context = click.Context(command, parent=parent, info_name=name)
        help_text = inspect.cleandoc(command.get_help(context))
        parts.append(f"\n## brood {name}\n\n```\n{help_text}\n```\n")
    return "".join(parts)


if __name__ == "__main__":
    OUT.write_text(reference(), "utf-8")
