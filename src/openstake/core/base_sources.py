"""The schools of a base's coordinate: what each gives, what must follow, what speaks for and against it.

Source: common practice, no source.
"""

from __future__ import annotations

from dataclasses import dataclass

# What an autonomous coordinate is off by, one sigma: horizontally per axis, and up (common practice, no source).
AUTONOMOUS_SIGMAS_M = (2.0, 4.0)


@dataclass(frozen=True, kw_only=True)
class SourceMethod:
    """One way to a base coordinate, in words: how good it is absolutely, whether it comes back alike, what must follow.

    `autonomous`: it rests on what a receiver says alone, metres off until something better replaces it.
    """

    source: str
    title: str
    absolute: str
    repeats: str
    follows: str
    good: str
    bad: str
    autonomous: bool = False


SCHOOLS = (
    SourceMethod(
        source="mark",
        title="Known mark",
        absolute="about 1 cm, as its list has it",
        repeats="the same every day",
        follows="a check on a second mark",
        good="Best of all where the mark can be trusted: the job stays in the frame of its control.",
        bad="A wrong line picked from the list moves the site by the distance of two marks.",
    ),
    SourceMethod(
        source="network",
        title="From the network",
        absolute="about 3 cm, in the network's frame",
        repeats="to a few centimetres",
        follows="reuse it; do not shoot it again",
        good="No known mark needed. The job can go on by radio in the same frame when the network drops.",
        bad="One fixed average is one initialisation. The network's frame may not be that of the control.",
    ),
    SourceMethod(
        source="average",
        title="Average of the receiver's own position",
        absolute="about 5 m, however long",
        repeats="another place every time",
        follows="a known mark to re-seat on, or a local fit",
        good="Works anywhere at once, for relative work.",
        bad="Everything is metres off until it is re-seated; averaging lowers noise and leaves the bias.",
        autonomous=True,
    ),
    SourceMethod(
        source="static",
        title="Log now, compute later",
        absolute="about 2 cm once the solution is in",
        repeats="the same, once locked",
        follows="hours of raw data, then the solution: every point moves",
        good="Control quality without control on site.",
        bad="Nothing can be staked before the solution. Sign, unit and frame go wrong when it is typed.",
        autonomous=True,
    ),
    SourceMethod(
        source="anywhere",
        title="Anywhere, re-seated on a mark",
        absolute="as good as the mark, after re-seating",
        repeats="not by itself: the point is new each time",
        follows="a known mark to re-seat on, a second one to prove it",
        good="The tripod stands where the sky is open and nobody knocks it.",
        bad="Until it is re-seated everything is metres off; a wrong mark moves everything.",
        autonomous=True,
    ),
)
BY_SOURCE = {school.source: school for school in SCHOOLS}
REMEMBERED = "remembered"
RESEATED = "reseat"
AUTONOMOUS_SOURCES = tuple(school.source for school in SCHOOLS if school.autonomous)


def source_title(source: str) -> str:
    """Return what people call a source of a base's coordinate."""
    if source == RESEATED:
        return "Re-seated on a known mark"
    return BY_SOURCE[source].title if source in BY_SOURCE else source
