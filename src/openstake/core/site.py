"""What is asked before a base is set up and while it is, with the cautions; asked, never a lock.

Source: common practice, no source; local rules and the licensed surveyor decide.
"""

from __future__ import annotations

from dataclasses import dataclass

SITE = "site"
LEVEL = "level"


@dataclass(frozen=True)
class Question:
    """One thing to look at: `group` is `site` (before) or `level` (over the mark)."""

    key: str
    group: str
    what: str
    why: str


QUESTIONS = (
    Question("site:sky", SITE, "Open sky all round, from 10° up", "Under trees the base makes every rover bad, whatever that rover sees."),
    Question(
        "site:still",
        SITE,
        "Firm ground that nothing shakes",
        "Not on a verge that sinks, a deck, a pontoon or a vehicle: a base that moves moves every point.",
    ),
    Question("site:walls", SITE, "Away from walls, vehicles, water and metal roofs", "They reflect signals. Antenna at 1.8 m or higher."),
    Question("site:line", SITE, "A clear line from the radio antenna to the work", "Height beats power."),
    Question(
        "site:guard",
        SITE,
        "Safe from traffic, livestock and thieves; somebody watches it",
        "A knocked tripod shows nowhere else but on the next check.",
    ),
    Question("level:setup", LEVEL, "Level and plumb after setting up", "Feet trodden in, bubble and plummet alternately until both hold."),
    Question(
        "level:hung", LEVEL, "Level again, with radio, battery and controller on the legs", "Their weight shifts the head by millimetres."
    ),
    Question("level:start", LEVEL, "Level again, just before the start", "Somebody has leaned on it since."),
)

CAUTIONS = (
    "Overhead lines: poles and masts conduct. Stay a mast's length and more away.",
    "No mast and no pole in a thunderstorm.",
    "Traffic and plant: cone the tripod off, stand where drivers see you. Weigh it down in wind.",
    "The radio antenna goes on before the power. Keep the distance the Link page gives for its power.",
    "12 V batteries: no shorts, upright, lift with the legs.",
    "Access: ask before you enter private land.",
)
