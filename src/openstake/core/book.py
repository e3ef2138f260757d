"""What lines of the Book are about, and what a crew adds to it in a few taps.

Source: common practice, no source.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from openstake.core.errors import InputError

Group = Literal["notes", "corrections", "base", "rover", "checks", "fit", "job", "kit", "sky"]
GROUPS: tuple[tuple[Group, str], ...] = (
    ("notes", "notes, people, weather"),
    ("corrections", "corrections"),
    ("base", "base"),
    ("rover", "rover and points"),
    ("checks", "checks"),
    ("fit", "local fit"),
    ("job", "job and control"),
    ("kit", "kit and link"),
    ("sky", "sky"),
)
# What a line is about, by its kind.  Corrections are those that replace something, whatever they are about; all that is not
# named here is of the rover: what its epochs show is told under the code of the finding.
KINDS: dict[Group, tuple[str, ...]] = {
    "notes": ("note", "weather", "people", "photo", "signed-off"),
    "base": (
        "base-started",
        "base-ended",
        "base-heard",
        "base-changed",
        "base-height-read",
        "base-height-corrected",
        "base-coordinate-replaced",
        "setup-begun",
        "setup-dropped",
        "setup-taken-up",
        "static-log",
        "average",
        "tick",
    ),
    "checks": ("check", "ground-measure", "finding-answered", "pole-turn", "field-test"),
    "fit": ("fit-mark", "fit-shot", "fit-chosen", "fit-applied", "fit-dropped", "fit-imported", "fit-from-job"),
    "job": (
        "job-made",
        "job-changed",
        "control-imported",
        "mark-added",
        "mark-changed",
        "geoid-added",
        "datum-grid-added",
        "settled",
        "unpacked",
        "time-passed",
    ),
    "kit": (
        "profile-saved",
        "profile-chosen",
        "profile-withdrawn",
        "gear-saved",
        "gear-withdrawn",
        "bench-test",
        "feed",
        "listening-changed",
        "resumed",
        "repeated",
        "link-cut",
    ),
    "sky": ("skyline", "sky-compared", "elements-loaded", "elements-taken-out", "kp"),
}


@dataclass(frozen=True)
class Weather:
    """The weather as a crew says it: what can be picked of sky, of what falls, of wind."""

    sky: tuple[str, ...] = ("clear", "some cloud", "overcast", "fog")
    falling: tuple[str, ...] = ("dry", "drizzle", "rain", "snow", "thunder near")
    wind: tuple[str, ...] = ("calm", "breeze", "strong wind", "gusts")


WEATHER = Weather()


def weather_sentence(sky: str, falling: str, wind: str, degrees: float | None) -> str:
    """Return the weather as a line of the Book has it; InputError where nothing is said, or something that cannot be picked."""
    for said, offered, field in ((sky, WEATHER.sky, "sky"), (falling, WEATHER.falling, "falling"), (wind, WEATHER.wind, "wind")):
        if said and said not in offered:
            raise InputError(f"'{said[:30]}' is not offered: {', '.join(offered)}.", field=field)
    parts = [said for said in (sky, falling, wind) if said]
    if degrees is not None:
        parts.append(f"{degrees:g} °C")
    if not parts:
        raise InputError("Choose the weather.", field="sky")
    return f"Weather: {', '.join(parts)}."


def degrees_from_text(text: str) -> float | None:
    """Return a temperature as it was typed, degrees Celsius, None where nothing was; InputError where it is none of this Earth."""
    if not text.strip():
        return None
    try:
        found = float(text.strip().replace(",", "."))
    except ValueError:
        raise InputError(f"'{text.strip()[:20]}' is not a number of degrees Celsius.", field="degrees") from None
    if not -60.0 <= found <= 60.0:
        raise InputError("The temperature is in degrees Celsius, between -60 and 60.", field="degrees")
    return found


def people_sentence(names: Sequence[str]) -> str:
    """Return who is on site as a line of the Book has it; InputError where nobody is named."""
    named = [name for name in (" ".join(name.split()) for name in names) if name]
    if not named:
        raise InputError("Name who is on site.", field="names")
    return f"On site: {', '.join(dict.fromkeys(named)).removesuffix('.')}."
