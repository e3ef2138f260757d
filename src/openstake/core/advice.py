"""What to do next in one line, and what holds a recording back: said by the program, never worked out by a page."""

from __future__ import annotations

from dataclasses import dataclass

from openstake.core.evidence import Status
from openstake.core.units import counted


@dataclass(frozen=True)
class Advice:
    """One line for the crew and when it is said."""

    when: str
    sentence: str


ADVICE: dict[str, Advice] = {
    "wait-for-position": Advice("The rover has no position yet.", "Waiting for the rover's first position."),
    "prove-it": Advice("The rover is fixed.", "Fixed. Prove it on a known mark before any work."),
    "wait-for-fixed": Advice("The rover is float.", "Float: decimetres. Wait under open sky; a minute is usual."),
    "no-corrections": Advice(
        "The rover has a position without an age of corrections.",
        "Single: no corrections reach the rover. Look at the link, channel and mountpoint.",
    ),
    "corrections-arrived": Advice(
        "Corrections have an age, and it is not float yet.", "Corrections have just arrived; float and fixed follow."
    ),
    "hold-not-listening": Advice("Recording, and no rover is listened to.", "The rover is not listened to: start the base first."),
    "hold-pick-mark": Advice("Recording, and no mark is picked.", "Pick the mark under the pole."),
    "hold-not-fixed": Advice(
        "Recording fixed epochs only, and the rover is not fixed.", "The rover is {status}: recording waits until it is fixed."
    ),
    "guard-off": Advice("Epochs of any solution are recorded.", "FIXED ONLY IS OFF: float and single positions are recorded as they come."),
    "shot-held": Advice("A shot in hand does not take the present epoch.", "Held back: waiting for {what}."),
    "shot-grows": Advice("A shot in hand takes epochs.", "{collected} of {wanted} s, {epochs}. Keep the pole plumb."),
    "track-runs": Advice("A track takes points.", "The track runs: {points}."),
    "frames-are-one": Advice("Network to radio: every step is done.", "Both are in one frame. Go on."),
    "hold-nothing": Advice("Recording can begin.", "Plumb the pole, hold still, then record."),
}


def watch_advice(status: Status, age_s: float | None) -> str:
    """Return what the state of the rover asks for next."""
    if status is Status.NONE:
        return ADVICE["wait-for-position"].sentence
    if status is Status.FIXED:
        return ADVICE["prove-it"].sentence
    if status is Status.FLOAT:
        return ADVICE["wait-for-fixed"].sentence
    return ADVICE["no-corrections" if age_s is None else "corrections-arrived"].sentence


@dataclass(frozen=True)
class Holds:
    """What to say beside the record button: without a mark, with `fixed only` on, and with it off."""

    without_mark: str
    fixed_only: str
    any_epoch: str


def record_holds(status: Status | None) -> Holds:
    """Return what holds a recording back, for each way of recording; status None: the rover is not listened to."""
    if status is None:
        sentence = ADVICE["hold-not-listening"].sentence
        return Holds(sentence, sentence, sentence)
    ready = ADVICE["hold-nothing"].sentence
    fixed = ready if status is Status.FIXED else ADVICE["hold-not-fixed"].sentence.format(status=_said(status))
    return Holds(ADVICE["hold-pick-mark"].sentence, fixed, ready)


def _said(status: Status) -> str:
    return "without a position" if status is Status.NONE else status.value


def shot_advice(waiting_for: str, points: int | None, collected_s: float, wanted_s: float, epochs: int) -> str:
    """Return what to say of the shot in hand: what it waits for, else how far it has come; `points` are those of a track."""
    if waiting_for:
        return ADVICE["shot-held"].sentence.format(what=waiting_for)
    if points is not None:
        return ADVICE["track-runs"].sentence.format(points=counted(points, "point"))
    return ADVICE["shot-grows"].sentence.format(collected=f"{collected_s:.0f}", wanted=f"{wanted_s:.0f}", epochs=counted(epochs, "epoch"))
