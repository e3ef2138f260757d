"""Rules on a link that is lost: since when, what changed last, and what to try, the likeliest first by the evidence there is."""

from __future__ import annotations

from dataclasses import dataclass

from openstake.core.evidence import Status
from openstake.core.judge.finding import Finding, Severity, finding
from openstake.core.limits import (
    CORRECTIONS_USED_WITHIN_S,
    FRAMES_EXPECTED,
    FRAMES_JUDGED_AFTER_S,
    LINK_LOST_AFTER_S,
    LINK_NEVER_AFTER_S,
    MANY_DAMAGED,
)
from openstake.core.units import counted, text_from_seconds


@dataclass(frozen=True, kw_only=True)
class LinkHeard:
    """What is known of the corrections at the rover, and of the base's stream at this listener.

    `heard_for_s`: since when the rover speaks; `silent_s`: since when it has no corrections, None where it never had any;
    `unused_for_s`: since when they arrive and make neither float nor fixed.
    Frames are those of the base's stream where it is listened to here (None where not); `changed` what changed last, in words.
    """

    status: Status
    age_s: float | None
    heard_for_s: float
    silent_s: float | None
    unused_for_s: float = 0.0
    frames: int | None = None
    bad_frames: int = 0
    stream_silent_s: float | None = None
    radio: bool = True
    changed: str = ""


def judge_lost(heard: LinkHeard) -> list[Finding]:
    """Return what the loss of the corrections looks like; nothing while they arrive and are used."""
    last = f" What changed last: {heard.changed}." if heard.changed else ""
    if heard.age_s is not None:
        return _not_used(heard, last)
    if heard.silent_s is None:
        return _never(heard, last) if heard.heard_for_s >= LINK_NEVER_AFTER_S else []
    return _lost(heard, last) if heard.silent_s >= LINK_LOST_AFTER_S else []


def _never(heard: LinkHeard, last: str) -> list[Finding]:
    here = _at_this_listener(heard)
    return [
        finding(
            "corrections-never-heard",
            Severity.LOOK,
            f"In {text_from_seconds(heard.heard_for_s)} no corrections have reached the rover.{last}{here}",
            "Silence from the start is a setting: channel, spacing, modulation or protocol differ, a baud rate, or no antenna."
            if heard.radio
            else "Silence from the start is an address: host, port, mountpoint, user or password at the rover.",
            "Compare both ends on the Link page, then: antenna screwed on at both ends, cable and baud rate between receiver and "
            "radio, transmit light at the base about once a second."
            if heard.radio
            else "Compare the mountpoint with the Link page; look whether the rover is connected and whether bytes arrive.",
            heard_for_s=round(heard.heard_for_s),
        )
    ]


def _lost(heard: LinkHeard, last: str) -> list[Finding]:
    silent_s = heard.silent_s or 0.0
    bad = heard.frames is not None and heard.bad_frames > MANY_DAMAGED * max(heard.frames + heard.bad_frames, 1)
    stream_gone = heard.stream_silent_s is not None and heard.stream_silent_s > LINK_LOST_AFTER_S
    if stream_gone:
        cause = "The base itself has stopped: its stream is silent here too. Battery, a cable, or somebody moved it."
        action = "Go to the base: battery, transmit light, antenna. Measure its height again before it goes on."
    elif bad:
        cause = f"Interference or the end of the range: {counted(heard.bad_frames, 'frame')} came damaged at this listener."
        action = "Go nearer or up, away from other transmitters; change the channel at the base, and then at the rover."
    else:
        cause = (
            "It was heard until then: range or terrain, the base's battery, or the base was moved."
            if heard.radio
            else "It was heard until then: no mobile coverage here, credit, or the caster."
        )
        action = (
            "Go back to where it was heard. Then: battery and transmit light at the base, its antenna higher; a channel that was "
            "changed there is changed here."
            if heard.radio
            else "Go where there is coverage, or set a base over a point measured by network and go on by radio."
        )
    return [
        finding(
            "corrections-lost",
            Severity.LOOK,
            f"The corrections have been lost for {text_from_seconds(silent_s)}.{last}{_at_this_listener(heard)}",
            cause,
            action,
            silent_s=round(silent_s),
        )
    ]


def _not_used(heard: LinkHeard, last: str) -> list[Finding]:
    if heard.unused_for_s < CORRECTIONS_USED_WITHIN_S:
        return []
    return [
        finding(
            "corrections-not-used",
            Severity.LOOK,
            f"Corrections arrive ({heard.age_s:.1f} s old) and the rover stays {heard.status.value}.{last}",
            "It hears them and cannot use them: a format it does not read, constellations that both do not have, or no station position.",
            "Compare the correction format and the constellations of both ends on the Link page; 1005 or 1006 must be sent.",
        )
    ]


def _at_this_listener(heard: LinkHeard) -> str:
    if heard.frames is None:
        return " The base's stream is not listened to here: what it sends is unchecked."
    if heard.stream_silent_s is not None and heard.stream_silent_s > LINK_LOST_AFTER_S:
        return f" At this listener the base has been silent for {text_from_seconds(heard.stream_silent_s)}."
    return " At this listener the base is heard: it sends." if heard.frames else " At this listener the base is not heard either."


def judge_frames(share: float | None, window_s: float, bad_crc: int) -> list[Finding]:
    """Return whether the base's stream arrives whole at this listener: `share` of the frames that should have come."""
    if share is None or share >= FRAMES_EXPECTED or window_s < FRAMES_JUDGED_AFTER_S:
        return []
    return [
        finding(
            "frames-missing",
            Severity.LOOK,
            f"At this listener {100.0 * share:.0f} % of the base's frames arrive within {window_s:.0f} s; {bad_crc} came damaged so far.",
            "The line between base and this machine loses frames: mobile coverage, a slow or noisy cable.",
            "Look at this machine's connection first; whether the rover loses them too shows in its age.",
            share=round(share, 3),
        )
    ]
