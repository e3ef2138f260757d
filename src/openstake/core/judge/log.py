"""Rules on a rover's log."""

from __future__ import annotations

from collections.abc import Mapping

from openstake.core.judge.finding import Finding, Severity, finding
from openstake.core.limits import OLD_AGE_S
from openstake.core.units import counted


def judge_log(
    epochs: int,
    by_status: Mapping[str, int],
    max_age_s: float | None,
    gaps: int,
    longest_gap: str,
    bad_checksum: int,
    no_checksum: int,
    unreadable: int,
    positions_without_separation: int,
    backward: int,
) -> list[Finding]:
    """Return what a log's counts say."""
    found = []
    if epochs and not by_status.get("fixed"):
        found.append(
            finding(
                "no-fixed-epochs",
                Severity.LOOK,
                f"None of the {epochs} epochs is fixed.",
                "No corrections reached the rover, or its sky was too poor.",
                "Do not use these positions for control or stake-out. Look at the age of corrections and the satellites.",
                epochs=epochs,
            )
        )
    if max_age_s is not None and max_age_s > OLD_AGE_S:
        found.append(
            finding(
                "correction-age-high",
                Severity.LOOK,
                f"The age of corrections reached {max_age_s:.1f} s; 1 to 2 s is good, 10 s is the end of a link.",
                "The radio is at its range, the network dropped, or the air rate does not hold the messages.",
                "Raise the base's radio antenna, or send fewer messages.",
                max_age_s=max_age_s,
            )
        )
    if gaps:
        found.append(
            finding(
                "epochs-missing",
                Severity.NOTE,
                f"The log has {gaps} gap{'s' if gaps > 1 else ''}, the first {longest_gap}.",
                "The receiver or the logger was off, or sentences were lost on the way.",
                "Do not average across a gap.",
                gaps=gaps,
            )
        )
    if bad_checksum or no_checksum:
        found.append(
            finding(
                "damaged-sentences",
                Severity.NOTE,
                f"{bad_checksum} sentences have a wrong checksum and {no_checksum} have none; they were left out.",
                "Bytes lost on a serial line, or a log that was edited or cut.",
                "Look at the cable and the baud rate. Keep the log as it came from the receiver.",
                bad_checksum=bad_checksum,
                no_checksum=no_checksum,
            )
        )
    if unreadable:
        found.append(
            finding(
                "sentences-unreadable",
                Severity.LOOK,
                f"{counted(unreadable, 'sentence')} with a good checksum cannot be read and {'was' if unreadable == 1 else 'were'} left out.",
                "An angle with too few digits, as decimal degrees, an altitude that no receiver has, or fields of another make.",
                "Look at what writes the log: NMEA 0183 has ddmm.mmmm for latitude and dddmm.mmmm for longitude.",
                unreadable=unreadable,
            )
        )
    if positions_without_separation:
        found.append(
            finding(
                "separation-missing",
                Severity.LOOK,
                f"{positions_without_separation} positions lack an altitude or geoid separation: "
                "their ellipsoidal height is not known and they are not in the mean.",
                "The receiver leaves the field empty.",
                "Switch the separation on in the receiver's GGA.",
                positions=positions_without_separation,
            )
        )
    if backward:
        found.append(
            finding(
                "time-went-back",
                Severity.NOTE,
                f"Time goes back {backward} time{'s' if backward > 1 else ''} within the log.",
                "Several logs joined in the wrong order, or two receivers in one file.",
                "Split the file by receiver and session.",
                backward=backward,
            )
        )
    return found
