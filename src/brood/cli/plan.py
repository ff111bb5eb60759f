"""`brood plan`: dated treatment windows for a case."""

from __future__ import annotations

from typing import Any

import click

from brood.catalogue.loader import shipped
from brood.cli.output import emit, read, text, with_json


@click.command()
@click.argument("case", metavar="CASE.json")
@with_json
def plan(case: str, as_json: bool) -> None:
    """Plan the treatment evenings of the case in CASE.json (- reads standard input).

    \b
    brood plan docs/examples/mite-20.json --json
    echo '{"schema": 1, "pest": "tetranychus-urticae", …}' | brood plan -
    """
    from brood.core.course.planner import plan as planned
    from brood.core.course.planner import problem_of
    from brood.services.documents.case_document import follow_case, group_of, plan_json
    from brood.services.documents.reading import parse_json

    document = parse_json(text(read(case)))
    parsed, looks, warnings = follow_case(document, shipped())
    problem = problem_of(parsed)
    plants = group_of(document)
    answer = plan_json(problem, planned(problem), warnings, shipped(), looks, plants)
    (emit if as_json else _say)(answer)


def _say(answer: dict[str, Any]) -> None:
    for row in answer["applications"]:
        short = f"  {row['short_by_days']} d short" if row["short_by_days"] else ""
        click.echo(
            f"{row['n']:3d}  {row['target']}  ({row['earliest']} to "
            f"{row['latest']}){short}  {', '.join(row['treatments'])}"
            f"{'' if row['set'] else '  (only if a look finds life)'}"
        )
        click.echo(f"     {row['why']}")
    if likely := answer["likely"]:
        click.echo(
            f"set {answer['set']}, likely {likely['evenings']} ({likely['low']} to "
            f"{likely['high']}), the last about {likely['last']}; back among the others from "
            f"{likely['all_clear'] or 'a day that cannot be foreseen'}"
        )
    click.echo(
        f"chance of clearing {answer['chance_of_clearing']:.2f}; even if cooler or warmer "
        f"at least {answer['chance_in_90']:.2f}"
    )
    for change in answer["improvements"]:
        made = (
            f": {change['chance_of_clearing']:.2f} with {change['applications']} evenings"
            if change["applications"]
            else ""
        )
        click.echo(change["change"] + made)
    for entry in answer["escaped"]:
        click.echo(entry["message"])
    for warning in answer["warnings"]:
        click.echo(warning, err=True)
