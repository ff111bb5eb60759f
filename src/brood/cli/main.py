"""The entry point: its commands are one file each."""

from __future__ import annotations

import click

from brood import __version__
from brood.cli.assess import assess
from brood.cli.clear_date import clear_date
from brood.cli.defaults import defaults
from brood.cli.develop import develop
from brood.cli.fit import fit
from brood.cli.heat import degree_days, forecast
from brood.cli.household import backup_, export, import_, restore_
from brood.cli.identify import identify, observations, signs
from brood.cli.logger import logger
from brood.cli.mix import mix, treatments
from brood.cli.plan import plan
from brood.cli.sensor import sensor
from brood.cli.serve import demo, serve


@click.group(context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="brood")
def main() -> None:
    """From a found plant pest to dated treatment windows.

    Data goes to standard output, words to standard error; exit 0 good, 1 failed, 2 misused.
    """


for command in (
    demo,
    serve,
    develop,
    plan,
    assess,
    clear_date,
    fit,
    degree_days,
    forecast,
    logger,
    sensor,
    identify,
    observations,
    signs,
    mix,
    treatments,
    defaults,
    export,
    import_,
    backup_,
    restore_,
):
    main.add_command(command)
