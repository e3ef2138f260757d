"""The schools of a base's coordinate: what each gives, what must follow, what speaks for and against it.

Source: common practice, no source.
"""

from __future__ import annotations

from dataclasses import dataclass

# What an autonomous coordinate is off by, one sigma: horizontally per axis, and up (common practice, no source).
AUTONOMOUS_SIGMAS_M = (2.0, 4.0)


@dataclass(frozen=True)
class School:
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
    School(
        "mark",
        "Known mark",
        "about 1 cm, as its list has it",
        "the same every day",
        "a check on a second mark",
        "Best of all where the mark can be trusted: the job stays in the frame of its control.",
        "A wrong line picked from the list moves the site by the distance of two marks.",
    ),
    School(
        "network",
        "From the network",
        "about 3 cm, in the network's frame",
        "to a few centimetres",
        "reuse it; do not shoot it anew",
        "No known mark needed. The job can go on by radio in the same frame when the network drops.",
        "One fixed average is one initialisation. The network's frame may not be that of the control.",
    ),
    School(
        "average",
        "Average of the receiver's own position",
        "about 5 m, however long",
        "another place every time",
        "a known mark to re-seat on, or a local fit",
        "Works anywhere at once, for relative work.",
        "Everything is metres off until it is re-seated; averaging lowers noise and leaves the bias.",
        autonomous=True,
    ),
    School(
        "static",
        "Log now, compute later",
        "about 2 cm once the solution is in",
        "the same, once locked",
        "hours of raw data, then the solution: every point moves",
        "Control quality without control on site.",
        "Nothing can be staked before the solution. Sign, unit and frame go wrong when it is typed.",
        autonomous=True,
    ),
    School(
        "anywhere",
        "Anywhere, re-seated on a mark",
        "as good as the mark, after re-seating",
        "not by itself: the point is new each time",
        "a known mark to re-seat on, a second one to prove it",
        "The tripod stands where the sky is open and nobody knocks it.",
        "Until it is re-seated all is metres off; one wrong mark moves all.",
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
