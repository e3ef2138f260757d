"""About the program: its version, and what is shipped with it under which licence."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path

from openstake import __version__

_LICENCES = Path(__file__).parent.parent / "licences.json"


@dataclass(frozen=True, kw_only=True)
class Shipped:
    """A part of the program that others made: what it is to us, its name, its version and its licence."""

    part: str
    name: str
    version: str
    licence: str


@dataclass(frozen=True)
class About:
    """The version, and everything that is shipped, as the lock files pin it."""

    version: str
    shipped: list[Shipped]


def about() -> About:
    """Return what the program is made of."""
    return About(__version__, [Shipped(**item) for item in json.loads(_LICENCES.read_text())])
