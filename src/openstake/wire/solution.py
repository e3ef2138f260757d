"""A static solution as it comes from a computation: SINEX, or the text of a mail with labelled values.

Nothing is taken unseen: each value comes with the line that it stands in, and where a label stands more than once all are offered.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Literal, cast

from openstake.core.errors import FileError
from openstake.wire.mail import Found, frames_in, labelled
from openstake.wire.sinex import Blocks, Estimate, estimates_of, sigmas_enu

SolutionField = Literal["latitude", "longitude", "height", "x", "y", "z", "frame", "epoch", "sigma_horizontal", "sigma_vertical"]
_CENTRED_FIELDS: tuple[SolutionField, ...] = ("x", "y", "z")
_WORDS: dict[SolutionField, str] = {
    "latitude": "latitude",
    "longitude": "longitude",
    "height": "ellipsoidal height",
    "x": "X",
    "y": "Y",
    "z": "Z",
    "frame": "frame",
    "epoch": "epoch",
    "sigma_horizontal": "sigma, horizontal",
    "sigma_vertical": "sigma, height",
}
MOST_BYTES = 4 << 20
_MOST_LINES, _MOST_OF_ONE = 100_000, 8


@dataclass(frozen=True, kw_only=True)
class SolutionValue:
    """A value that was found: its field (in `words`), as it would be typed, the line it stands in and that line's number from 1.

    `taken`: it stands there once and is understood whole, so it is filled in; of what stands more than once a person takes one.
    `problem` says what was not understood: such a value is shown with its line and cannot be taken.
    """

    field: SolutionField
    text: str
    line: str
    number: int
    words: str = ""
    taken: bool = False
    problem: str = ""


@dataclass(frozen=True)
class SolutionChoice:
    """One solution of one point in a SINEX file: its name, and what tells it from the others."""

    name: str
    words: str


@dataclass(frozen=True, kw_only=True)
class SolutionFile:
    """What a file says of one point; `site` is the solution that was read, empty where one of `choices` has to be chosen first.

    `refers_to` is `mark` where the format says that the coordinate is the marker's, empty where a person has to say.
    `header_height` and `antenna` are what it says of the antenna, empty where nothing.
    """

    kind: Literal["SINEX", "text"]
    site: str
    choices: tuple[SolutionChoice, ...]
    values: tuple[SolutionValue, ...]
    header_height: str
    antenna: str
    refers_to: Literal["mark", ""]


def read_solution(content: bytes, name: str, site: str = "") -> SolutionFile:
    """Read a solution; FileError where nothing in it is a coordinate.  Of several in a SINEX file nothing is taken before one is named."""
    if len(content) > MOST_BYTES:
        raise FileError(f"{name[:60]} has {len(content) / 1e6:.1f} MB; a solution has at most {MOST_BYTES >> 20} MB.")
    if b"\0" in content:
        raise FileError(f"{name[:60]} is not text: it holds bytes that no mail or SINEX file has.")
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = content.decode("latin-1")
    lines = text.splitlines()
    if len(lines) > _MOST_LINES:
        raise FileError(f"{name[:60]} has {len(lines)} lines; at most {_MOST_LINES} are read.")
    return _sinex(lines, name, site) if text.startswith("%=SNX") else _mail(lines, name)


def _marked(values: Sequence[SolutionValue]) -> tuple[SolutionValue, ...]:
    """Return values with their words, and whether each is filled in: X, Y and Z only where no latitude is, and all three."""
    counts = Counter(value.field for value in values)
    once = {value.field for value in values if counts[value.field] == 1 and not value.problem}
    if counts["latitude"] or not once.issuperset(_CENTRED_FIELDS):
        once -= set(_CENTRED_FIELDS)
    return tuple(replace(value, words=f"{_WORDS[value.field]}{value.words}", taken=value.field in once) for value in values)


# --- SINEX ---


def _sinex(lines: Sequence[str], name: str, site: str) -> SolutionFile:
    estimates, blocks = estimates_of(lines, name)
    choices = tuple(SolutionChoice(item.name, item.words) for item in sorted(estimates, key=lambda item: item.key))
    named = [item for item in estimates if site in (item.name, item.key[0])] if site else estimates
    if not named:
        there = ", ".join(item.name for item in choices[:12])
        raise FileError(f"{name[:60]} holds no solution '{site[:20]}'. It has {there}.", field="site")
    if len(named) > 1:
        return SolutionFile(kind="SINEX", site="", choices=choices, values=(), header_height="", antenna="", refers_to="mark")
    chosen = named[0]
    values = _marked((*_estimated(chosen), *_said_frame(blocks)))
    return SolutionFile(
        kind="SINEX",
        site=chosen.name,
        choices=choices,
        values=values,
        header_height=chosen.eccentricity,
        antenna=chosen.antenna,
        refers_to="mark",
    )


def _estimated(item: Estimate) -> Iterator[SolutionValue]:
    for field, value, (number, line) in zip(_CENTRED_FIELDS, item.xyz_m, item.rows, strict=True):
        yield SolutionValue(field=field, text=f"{value:.5f}", line=line, number=number)
    number, line = item.rows[0]
    if item.epoch:
        yield SolutionValue(field="epoch", text=item.epoch, line=line, number=number)
    sigmas = sigmas_enu(item)
    if sigmas is not None:
        said = f"standard deviations {', '.join(item.sigmas_m)}" + (
            ", with their correlations" if item.correlated else ", taken as independent: the file has no correlations of them"
        )
        yield SolutionValue(field="sigma_horizontal", text=f"{sigmas[0]:.4f} m", line=said, number=number)
        yield SolutionValue(field="sigma_vertical", text=f"{sigmas[1]:.4f} m", line=said, number=number)


def _said_frame(blocks: Blocks) -> Iterator[SolutionValue]:
    """Yield the frames that the file's comments name: SINEX has no place for it."""
    rows = ((number, line) for block in ("FILE/COMMENT", "FILE/REFERENCE") for number, line in blocks.get(block, []))
    yield from map(_of_mail, frames_in(rows))


# --- text ---


def _mail(lines: Sequence[str], name: str) -> SolutionFile:
    found = [*labelled(lines), *frames_in(enumerate(lines, 1))]
    counts: Counter[str] = Counter()
    values = []
    for item in found:
        counts[item.field] += 1
        if counts[item.field] <= _MOST_OF_ONE:
            values.append(_of_mail(item))
    fields = {value.field for value in values}
    if not {"latitude", "longitude"} <= fields and not {"x", "y", "z"} <= fields:
        raise FileError(
            f"{name[:60]} names no latitude and longitude, and no X, Y and Z. Copy the coordinate from it and paste it instead."
        )
    return SolutionFile(kind="text", site="", choices=(), values=_marked(values), header_height="", antenna="", refers_to="")


def _of_mail(item: Found) -> SolutionValue:
    words = f", {item.column}" if item.column else ""
    return SolutionValue(
        field=cast(SolutionField, item.field), text=item.text, line=item.line, number=item.number, words=words, problem=item.problem
    )
