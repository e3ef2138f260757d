"""`openstake profile`: examples, and whether a file is a valid profile."""

from __future__ import annotations

from pathlib import Path

import click

from openstake.cli import show
from openstake.core.kit.profile import ROLES, example
from openstake.wire.profile import read_profile, write_profile
from openstake.workflow.link.ends import profile_file


@click.group()
def profile() -> None:
    """Profiles: how a base, a rover or a network rover is set."""


@profile.command(name="example")
@click.argument("role", type=click.Choice(list(ROLES)))
@click.option("--json", "as_json", is_flag=True, help="The same: a profile is JSON.")
def example_profile(role: str, as_json: bool) -> None:
    """Print a valid profile; the example base and rover are a matching UHF pair."""
    click.echo(write_profile(example(role)), nl=False)


@profile.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def check(file: Path, as_json: bool) -> None:
    """Say whether a file is a valid profile, or what is wrong with it."""
    found = read_profile(profile_file(file))
    show({"valid": True, "name": found.name, "role": found.role}, as_json, [f"{found.name}: a valid {found.role} profile."])
