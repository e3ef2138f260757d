"""What a job's settings say before anybody measures: the wrong zone, the wrong foot, no geoid, a factor that is not its own."""

from __future__ import annotations

from dataclasses import dataclass

from openstake.core.geodesy.factors import GridFactors, ppm
from openstake.core.geodesy.frames import JobFrame
from openstake.core.judge.finding import Finding, Severity, finding
from openstake.core.limits import FACTOR_DIFFERS_PPM, NEAR_EDGE_KM, TYPED_SHIFT_M
from openstake.core.units import UNIT_WORDS


@dataclass(frozen=True, kw_only=True)
class SystemEvidence:
    """A job's frame and its middle: `place` is latitude and longitude in degrees, None where nobody knows it yet.

    `finer_operation`: one that would be far better than the one chosen if its grid were here, by name, metres.
    """

    frame: JobFrame
    place: tuple[float, float] | None
    factors: GridFactors | None
    job_unit: str
    system_unit: str | None
    elevations: int
    has_geoid: bool
    geoid_training_only: bool
    marks_outside_geoid: int
    practice: bool
    finer_operation: tuple[str, float] | None = None


def judge_system(evidence: SystemEvidence) -> list[Finding]:
    """Return what is to be said of a job's system, units and heights."""
    return [*_of_system(evidence), *_of_operation(evidence), *_of_units(evidence), *_of_heights(evidence)]


def _of_system(evidence: SystemEvidence) -> list[Finding]:
    frame, place = evidence.frame, evidence.place
    found = []
    if frame.is_local and frame.definition.anchor is None:
        found.append(
            finding(
                "system-lies-nowhere",
                Severity.NOTE,
                "The job's system is assumed, and nobody has said where on Earth it lies.",
                "Local coordinates with a corner of 5000, 5000 are usual where only distances matter.",
                "Give a place to one of its points, or start the base on an average: its mark then places the system.",
            )
        )
    if frame.deprecated:
        found.append(
            finding(
                "system-deprecated",
                Severity.LOOK,
                f"{frame.name} (EPSG:{frame.code}) is deprecated.",
                "The entry was replaced, mostly because its definition was wrong or doubled.",
                "Search for its successor of the same name, unless the control was made in this one.",
            )
        )
    if place is not None and frame.area is not None:
        edge_km = frame.edge_distance_km(*place)
        if not frame.contains(*place):
            found.append(
                finding(
                    "system-outside-area",
                    Severity.STOP,
                    f"The job lies {abs(edge_km or 0.0):.0f} km outside the area of {frame.name}.",
                    "Another zone is in use there, or coordinates were read in the wrong system or unit.",
                    "Search for a system by the job's latitude and longitude.",
                    outside_km=round(abs(edge_km or 0.0), 1),
                )
            )
        elif edge_km is not None and edge_km < NEAR_EDGE_KM:
            found.append(
                finding(
                    "system-near-edge",
                    Severity.LOOK,
                    f"The job lies {edge_km:.0f} km from the edge of the area of {frame.name}.",
                    "Near the edge of a zone the control may be in the neighbouring one.",
                    "Ask in which zone the control was made.",
                    edge_km=round(edge_km, 1),
                )
            )
    if evidence.factors is not None and not evidence.factors.conformal:
        found.append(
            finding(
                "projection-not-conformal",
                Severity.LOOK,
                f"{frame.name} does not keep angles: its scale depends on the direction.",
                "Such projections are made for maps that compare areas.",
                "Pick a transverse Mercator, Lambert or stereographic system.",
            )
        )
    ground = frame.definition.ground
    if ground is not None and evidence.factors is not None:
        off_ppm = ppm(ground.combined_factor) - ppm(evidence.factors.combined_factor)
        if abs(off_ppm) > FACTOR_DIFFERS_PPM:
            found.append(
                finding(
                    "ground-factor-differs",
                    Severity.LOOK,
                    f"The project's combined factor {ground.combined_factor:.7f} is {off_ppm:+.0f} ppm from the one computed for "
                    f"the middle of the job, {evidence.factors.combined_factor:.7f}: {abs(off_ppm) / 10:.1f} mm in 100 m.",
                    "Another height or place, its reciprocal, or a typing error.",
                    "Compare with the control report. 1/factor is the usual mistake.",
                    difference_ppm=round(off_ppm, 2),
                )
            )
    return found


def _of_operation(evidence: SystemEvidence) -> list[Finding]:
    frame = evidence.frame
    operation = frame.definition.operation
    found = judge_datum(frame)
    if operation is not None:
        quality = "of unknown accuracy" if operation.accuracy_m is None else f"good to {operation.accuracy_m:g} m"
        found.append(
            finding(
                "datum-operation-chosen",
                Severity.NOTE,
                f"Positions are taken as {operation.source} and go through '{operation.name}', {quality}.",
                "A person chose it: no shift is applied that nobody named.",
                "Check on control that it is the one by which the control was made.",
            )
        )
    if operation is not None and evidence.finer_operation is not None:
        name, accuracy_m = evidence.finer_operation
        found.append(
            finding(
                "operation-coarse",
                Severity.LOOK,
                f"Positions come into the datum to {operation.accuracy_m or TYPED_SHIFT_M:g} m by '{operation.name}'; '{name}' would bring them "
                f"to {accuracy_m:g} m, and needs a grid file that is not here.",
                "A published grid holds the local distortions that a few parameters smooth out.",
                "Good for relative work from a known mark alone. Check on two marks, or fit the control.",
                chosen_m=operation.accuracy_m or TYPED_SHIFT_M,
                finer_m=accuracy_m,
            )
        )
    return found


def judge_datum(frame: JobFrame) -> list[Finding]:
    """Return what speaks against every measured number of a job: a classical datum into which no operation is chosen."""
    if not frame.datum_is_unsaid:
        return []
    if frame.lacking_grids and frame.definition.operation is not None:
        return [
            finding(
                "datum-not-said",
                Severity.STOP,
                f"The operation by which positions come into {frame.datum_name} needs a grid that is not here: {', '.join(frame.lacking_grids)} "
                f"({frame.definition.operation.name}).",
                "The job was made where the grid was, or its file has gone. Until it is here nothing is settled, sent, compared or projected.",
                "Under System bring the grid file in, or choose an operation that needs none.",
            )
        ]
    return [
        finding(
            "datum-not-said",
            Severity.STOP,
            f"{frame.name} is on a classical datum ({frame.datum_name}), and no operation is chosen by which positions come into it.",
            "Receivers, casters and RTCM speak frames that GNSS realises, tens to hundreds of metres from a classical datum: until an "
            "operation stands between the two nothing is settled, sent, compared or projected.",
            "Under System choose the operation that the control was made with, or type its parameters. Where nobody knows one, take "
            "the control as local: an assumed system, and a fit.",
        )
    ]


def _of_units(evidence: SystemEvidence) -> list[Finding]:
    unit, own = evidence.job_unit, evidence.system_unit
    if own is None or {unit, own} != {"ft", "sft"}:
        return []
    return [
        finding(
            "foot-differs",
            Severity.LOOK,
            f"{evidence.frame.name} is defined in the {UNIT_WORDS[own]}, but the job works in the {UNIT_WORDS[unit]}.",
            "The two feet differ by 2 ppm: 1 m at a northing of 500 km.",
            f"Set the job's unit to the {UNIT_WORDS[own]}, unless the control list says otherwise.",
            difference_ppm=2,
        )
    ]


def _of_heights(evidence: SystemEvidence) -> list[Finding]:
    found = []
    if evidence.elevations and not evidence.has_geoid:
        found.append(
            finding(
                "geoid-missing",
                Severity.LOOK,
                f"{evidence.elevations} marks have elevations, and the job has no geoid grid: they are not compared with heights "
                "of the rover.",
                "A receiver measures ellipsoidal heights; the two differ by up to 100 m.",
                "Add the national geoid grid (.gtx or GeoTIFF) under System, or give ellipsoidal heights.",
                marks=evidence.elevations,
            )
        )
    if evidence.has_geoid and evidence.marks_outside_geoid:
        found.append(
            finding(
                "geoid-outside",
                Severity.LOOK,
                f"{evidence.marks_outside_geoid} marks lie outside the job's geoid grid.",
                "Another region's grid, or marks in another zone.",
                "Choose a grid that covers the job.",
                marks=evidence.marks_outside_geoid,
            )
        )
    if evidence.geoid_training_only:
        found.append(
            finding(
                "geoid-training-only",
                Severity.NOTE if evidence.practice else Severity.STOP,
                "The job's geoid grid is for training only.",
                "It is global and coarse: elevations from it are some decimetres off, and not those of the country.",
                "Add the national grid before work that counts.",
            )
        )
    return found
