"""Rules on what a base sends against its profile and against the sky it sees."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence

from openstake.core.evidence import HeardStream, InView
from openstake.core.judge.finding import Finding, Severity, finding
from openstake.core.kit.profile import Message
from openstake.core.limits import INTERVAL_RATIO, LEAST_MESSAGE_WAIT_S, MESSAGE_PATIENCE, SATELLITES_SEEN_NOT_SENT, SHARE_SENT


def judge_messages(planned: Sequence[Message], heard: HeardStream) -> list[Finding]:
    """Return what the message set on the air says against the profile's; silent until there has been time to hear."""
    found = []
    by_number = {item.number: item for item in heard.messages}
    missing = [
        item
        for item in planned
        if item.number not in by_number and heard.span_s > max(MESSAGE_PATIENCE * item.interval_s, LEAST_MESSAGE_WAIT_S)
    ]
    if missing:
        names = ", ".join(str(item.number) for item in missing)
        found.append(
            finding(
                "message-missing",
                Severity.LOOK,
                f"The profile sends {names}; in {heard.span_s:.0f} s none came.",
                "The message is switched off in the receiver, or the profile names what it does not send.",
                "Switch it on at the base, or take it out of the profile.",
                messages=names,
            )
        )
    slow = [
        (item, heard_s)
        for item in planned
        if item.number in by_number and (heard_s := by_number[item.number].interval_s) is not None and not _alike(heard_s, item.interval_s)
    ]
    if slow:
        words = ", ".join(f"{item.number} every {heard_s:.3g} s and not {item.interval_s:g} s" for item, heard_s in slow)
        found.append(
            finding(
                "message-interval-differs",
                Severity.LOOK,
                f"On the air comes {words}.",
                "Another rate is set in the receiver, or the link drops messages.",
                "Set the rate of the profile; if it is set, look at the link.",
                messages=", ".join(str(item.number) for item, _ in slow),
            )
        )
    extra = sorted(set(by_number) - {item.number for item in planned})
    if planned and extra:
        names = ", ".join(str(number) for number in extra)
        found.append(
            finding(
                "message-unplanned",
                Severity.NOTE,
                f"The base also sends {names}, which the profile does not name.",
                "Messages are switched on that nobody planned.",
                "They cost air time: switch them off, or add them to the profile.",
                messages=names,
            )
        )
    return found


def _alike(heard_s: float, planned_s: float) -> bool:
    return planned_s / INTERVAL_RATIO <= heard_s <= planned_s * INTERVAL_RATIO


def judge_satellites(constellations: Collection[str], heard: HeardStream, in_view: Sequence[InView], mask_deg: float) -> list[Finding]:
    """Return what the satellites sent say against the constellations wanted and the sky that the base itself sees."""
    found = []
    sent = {name: len(numbers) for name, numbers in heard.satellites.items()}
    seen = Counter(item.constellation for item in in_view if item.elevation_deg >= mask_deg)
    silent = [name for name in constellations if not sent.get(name)] if heard.span_s > LEAST_MESSAGE_WAIT_S else []
    if silent:
        names = ", ".join(silent)
        also = "".join(f", though it sees {seen[name]} of {name}" for name in silent if seen[name])
        found.append(
            finding(
                "constellation-not-sent",
                Severity.LOOK,
                f"The profile has {names}; the base sends none of it{also}.",
                "The constellation is not tracked, or its messages are off.",
                "Switch it on at the base: a rover can only use what the base sends.",
                constellations=names,
            )
        )
    short = [
        name
        for name in constellations
        if sent.get(name) and seen[name] - sent[name] >= SATELLITES_SEEN_NOT_SENT and sent[name] < SHARE_SENT * seen[name]
    ]
    if short:
        words = ", ".join(f"{sent[name]} of {seen[name]} {name}" for name in short)
        found.append(
            finding(
                "satellites-not-sent",
                Severity.LOOK,
                f"Above {mask_deg:g}° the base sees more than it sends: {words}.",
                "A higher mask in the receiver, a message that is cut at 64 cells, or signals that are not tracked.",
                "Look at the base's mask and at how its messages are split.",
            )
        )
    return found
