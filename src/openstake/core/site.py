"""What is asked before a base is set up and while it is, with the cautions; asked, never a lock.

Source: common practice, no source; local rules and the licensed surveyor decide.
"""

from __future__ import annotations

from dataclasses import dataclass

SITE = "site"
LEVEL = "level"


@dataclass(frozen=True, kw_only=True)
class Question:
    """One thing to look at: `group` is `site` (before) or `level` (over the mark)."""

    key: str
    group: str
    what: str
    why: str


QUESTIONS = (
    Question(
        key="site:sky",
        group=SITE,
        what="Open sky all round, from 10° up",
        why="Under trees the base makes every rover bad, whatever that rover sees.",
    ),
    Question(
        key="site:still",
        group=SITE,
        what="Firm ground that nothing shakes",
        why="Not on a verge that sinks, a deck, a pontoon or a vehicle: a base that moves moves every point.",
    ),
    Question(
        key="site:walls",
        group=SITE,
        what="Away from walls, vehicles, water and metal roofs",
        why="They reflect signals. Antenna at 1.8 m or higher.",
    ),
    Question(key="site:line", group=SITE, what="A clear line from the radio antenna to the work", why="Height beats power."),
    Question(
        key="site:guard",
        group=SITE,
        what="Safe from traffic, livestock and thieves; somebody watches it",
        why="A knocked tripod shows nowhere else but on the next check.",
    ),
    Question(
        key="level:setup",
        group=LEVEL,
        what="Level and plumb after setting up",
        why="Feet trodden in, bubble and plummet alternately until both hold.",
    ),
    Question(
        key="level:hung",
        group=LEVEL,
        what="Level again, with radio, battery and controller on the legs",
        why="Their weight shifts the head by millimetres.",
    ),
    Question(key="level:start", group=LEVEL, what="Level again, just before the start", why="Somebody has leaned on it since."),
)

CAUTIONS = (
    "Overhead lines: poles and masts conduct. Stay a mast's length and more away.",
    "No mast and no pole in a thunderstorm.",
    "Traffic and plant: cone the tripod off, stand where drivers see you. Weigh it down in wind.",
    "The radio antenna goes on before the power. Keep the distance the Link page gives for its power.",
    "12 V batteries: no shorts, upright, lift with the legs.",
    "Access: ask before you enter private land.",
)
