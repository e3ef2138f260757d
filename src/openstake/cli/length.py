"""`openstake length`: what a typed length is in metres."""

from __future__ import annotations

import click

from openstake.cli import show
from openstake.core.units import METRES_PER_UNIT, UNIT_WORDS, metres_from_text, text_from_metres


@click.command(context_settings={"ignore_unknown_options": True})
@click.argument("text")
@click.option("--unit", type=click.Choice(list(METRES_PER_UNIT)), help="What a number without a unit is in.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def length(text: str, unit: str | None, as_json: bool) -> None:
    """Read a length as it is typed: 2m, 1532mm, 6.562sft, 5 ft 7 3/8 in, 1,532 m."""
    metres = metres_from_text(text, unit)
    lines = [f"{metres:.6f} m"] + [f"{text_from_metres(metres, name)} ({word})" for name, word in UNIT_WORDS.items() if name != "m"]
    show({"metres": metres}, as_json, lines)
