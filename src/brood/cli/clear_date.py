"""`brood clear-date`: when a case is over."""

from __future__ import annotations

from typing import Any

import click

from brood.catalogue.loader import shipped
from brood.cli.output import emit, read, text, with_json


@click.command("clear-date")
@click.argument("case", metavar="CASE.json")
@with_json
def clear_date(case: str, as_json: bool) -> None:
    """When the case in CASE.json is over if every look from now on finds nothing: the
    day, the looks it takes, and the chance that anything is alive.

    \b
    brood clear-date docs/examples/mite-20.json --json
    """
    from brood.services.documents.case_document import read_followed
    from brood.services.documents.clear_date import clear_json
    from brood.services.documents.reading import parse_json

    parsed, looks, _ = read_followed(parse_json(text(read(case))), shipped())
    answer = clear_json(parsed, looks)
    (emit if as_json else _say)(answer)


def _say(answer: dict[str, Any]) -> None:
    click.echo(
        f"all clear {answer['all_clear'] or 'not in sight'}"
        + (" by what is recorded" if answer["settled"] else "")
    )
    for look in answer["needed_looks"]:
        click.echo(f"look {look['date']}: {look['why']}")
