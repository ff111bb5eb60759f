"""`brood assess`: what given dates would do to a case."""

from __future__ import annotations

from datetime import date
from typing import Any

import click

from brood.catalogue.loader import shipped
from brood.cli.output import emit, read, text, with_json
from brood.errors import InputError


@click.command()
@click.argument("case", metavar="CASE.json")
@click.option(
    "--dates",
    required=True,
    help="Treatment dates, with commas between them; all acts of the case on each.",
)
@with_json
def assess(case: str, dates: str, as_json: bool) -> None:
    """The chance of clearing, the survivors and the first escape of given DATES for the
    case in CASE.json.

    \b
    brood assess docs/examples/mite-20.json --dates 2026-06-01,2026-06-04,2026-06-07 --json
    """
    from brood.services.documents.assess import assess_json
    from brood.services.documents.case_document import read_case
    from brood.services.documents.reading import parse_json

    parsed, _ = read_case(parse_json(text(read(case))), shipped())
    answer = assess_json(parsed, [_day(part.strip()) for part in dates.split(",") if part.strip()])
    (emit if as_json else _say)(answer)


def _day(word: str) -> date:
    try:
        return date.fromisoformat(word)
    except ValueError:
        raise InputError(
            f"'{word[:40]}' is no date.",
            field="dates",
            value=word[:40],
            allowed="dates such as 2026-06-01,2026-06-04",
        ) from None


def _say(answer: dict[str, Any]) -> None:
    click.echo(
        f"chance of clearing {answer['chance_of_clearing']:.3f} "
        f"({answer['chance_in_90']:.3f} even if cooler or warmer)"
    )
    click.echo(
        f"expected survivors {answer['expected_survivors']:.2f}, first escape "
        f"{answer['first_escape'] or 'none'}"
    )
