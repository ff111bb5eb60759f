"""`brood identify` and `brood observations`: what a plant has, from what was seen."""

from __future__ import annotations

from typing import Any

import click

from brood.catalogue.loader import shipped
from brood.cli.output import emit, read, text, with_json


@click.command()
@click.argument("evidence")
@with_json
def identify(evidence: str, as_json: bool) -> None:
    """What a plant has, from an EVIDENCE.json of observations (- for standard input).

    \b
    brood identify docs/examples/evidence.json --json
    echo '{"schema": 1, "observations": {"web-fine": true}}' | brood identify -
    """
    from brood.services.documents.identify import answer
    from brood.services.documents.reading import parse_json

    result = answer(shipped(), parse_json(text(read(evidence)), "evidence"))
    (emit if as_json else _say)(result)


def _say(result: dict[str, Any]) -> None:
    click.echo(
        "Undecided." if result["undecided"] else "Held present: " + ", ".join(result["present"])
    )
    for row in result["suspects"][:6]:
        click.echo(
            f"{row['probability']:6.3f}  {row['id']:28s} for: "
            f"{', '.join(row['for']) or '–'}  against: {', '.join(row['against']) or '–'}"
        )
    click.echo(f"{result['something_else']:6.3f}  something else")
    for check in result["next_checks"]:
        click.echo(
            f"next: {check['observation']} ({check['minutes']:g} min, {check['gain']:.2f} bits)",
            err=True,
        )


@click.command()
@click.argument("words", nargs=-1, required=True)
@with_json
def signs(words: tuple[str, ...], as_json: bool) -> None:
    """The observations that somebody's own WORDS may mean, the best first.

    \b
    brood signs cotton wool where leaves join
    """
    from brood.services.diagnosis.noticed import signs_json

    result = signs_json(shipped(), " ".join(words))
    if as_json:
        emit(result)
        return
    for one in result["observations"]:
        denied = "not there: " if one["denied"] else ""
        click.echo(f"{one['score']:6.2f}  {one['id']:28s} {denied}{one['phrase']}")


@click.command()
@with_json
def observations(as_json: bool) -> None:
    """Every observation that `brood identify` takes, with how to check it.

    \b
    brood observations --json
    """
    from brood.services.documents.identify import observations as listed

    result = listed(shipped())
    if as_json:
        emit(result)
        return
    for row in result["observations"]:
        click.echo(
            f"{row['id']:32s}{row['phrase']} [{row['tool']}, {row['minutes']:g} min] "
            f"{row['how_to_check']}"
        )
