"""The height of a base: what is being typed, its readings before and after, and their corrections."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, cast

from openstake.core.antenna import MeanHeight, MeasuredTo, TypedReading
from openstake.core.base_stages import HeightRead
from openstake.core.judge.finding import Finding
from openstake.core.judge.height import KnownAntenna, judge_completeness, judge_heights, judge_opening_and_closing
from openstake.core.limits import ShortText, Text
from openstake.core.units import counted, text_from_metres
from openstake.derive.heights import ROD_HEIGHT_M, BaseHeight, Readings, as_typed, features_of, read_height
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import kit_of
from openstake.store.models import HeightReading
from openstake.workflow.context import Context

ReadingMoment = Literal["before", "after"]


@dataclass(frozen=True)
class Heights:
    """What heights are measured to in a job."""

    base_features: tuple[MeasuredTo, ...]
    rover_features: tuple[MeasuredTo, ...]
    rover_height_text: str


@dataclass(frozen=True)
class HeightQuery:
    """A height as it is being typed."""

    reading: ShortText
    feature: ShortText
    subject: Literal["base", "rover"] = "base"


@dataclass(frozen=True, kw_only=True)
class Height:
    """A height as typed; `phase_centre_up_m` is how far the base antenna's phase centre lies above its ARP."""

    reading_m: float
    arp_height_m: float
    feature_to_arp_m: float
    rim_radius_m: float
    phase_centre_up_m: float | None
    feature_height_m: float
    phase_centre_height_m: float | None
    method: str
    text: str


@dataclass(frozen=True, kw_only=True)
class NewReading:
    """A reading of the base's height, by whom, before the session or after it; `again`: it is a second look of the same text."""

    reading: ShortText
    feature: ShortText
    who: ShortText = ""
    moment: ReadingMoment = "before"
    again: bool = False


@dataclass(frozen=True, kw_only=True)
class CorrectHeight:
    """A reading to replace by another, or to set aside; None for the reading keeps what was read."""

    replaces_id: ShortText
    reason: Text
    reading: ShortText | None = None
    feature: ShortText = ""
    set_aside: bool = False


@dataclass(frozen=True, kw_only=True)
class ReadingView:
    """A reading as it was typed; `from_mean_m` is reading − mean of those that are used, where they agree."""

    id: str
    text: str
    reading_m: float
    arp_height_m: float
    feature: str
    feature_label: str
    method: str
    rim_radius_m: float
    feature_to_arp_m: float
    moment: ReadingMoment
    who: str
    created_s: float
    set_aside: bool
    corrected: bool
    reason: str
    from_mean_m: float | None


@dataclass(frozen=True, kw_only=True)
class MeanHeightView:
    """The mean of the readings of the ARP above the mark, metres; `sigma_m` is one standard deviation of the mean.

    While readings contradict each other there is no height: `sigma_m` and `stack` are None, `text` is what they run from
    and to.  `stack` is the mean as it is drawn, `worth` what it rests on, in words.
    """

    arp_height_m: float
    sigma_m: float | None
    spread_m: float
    count: int
    text: str
    worth: str
    read: str
    stack: Height | None


@dataclass(frozen=True, kw_only=True)
class BaseHeights:
    """The readings before and after the session, and what they say of each other.

    `closing_findings` are of the readings after the session, and of these against those before.
    """

    readings: list[ReadingView]
    opening: MeanHeightView | None
    closing: MeanHeightView | None
    limit_m: float | None
    findings: list[Finding]
    closing_findings: list[Finding]

    @property
    def opening_read(self) -> HeightRead | None:
        """The opening height as its state is judged by."""
        return None if self.opening is None else HeightRead(self.opening.text, self.opening.count, self.findings)

    @property
    def closing_read(self) -> HeightRead | None:
        """The closing height as its state is judged by."""
        return None if self.closing is None else HeightRead(self.closing.text, self.closing.count, self.closing_findings)


NO_HEIGHTS = BaseHeights(readings=[], opening=None, closing=None, limit_m=None, findings=[], closing_findings=[])


def view(context: Context, job_id: str) -> Heights:
    """Return the features of base and rover, and the rover's usual height."""
    with context.database.read() as session:
        job_of(session, job_id)
        kit = kit_of(session, job_id)
    base, rover = features_of(kit, "base"), features_of(kit, "rover")
    usual = rover[0].fixed_height_m or ROD_HEIGHT_M
    return Heights(base, rover, f"{usual:.3f} m")


def preview(context: Context, job_id: str, query: HeightQuery) -> Height:
    """Return the ARP height of what is being typed, in metres and in the job's unit."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        kit = kit_of(session, job_id)
    height = read_height(kit, job.length_unit, query.reading, query.feature, query.subject)
    above = kit.phase_centre_m(base=True) if query.subject == "base" else None
    return _drawn(height, height.arp_height_m, above, job.length_unit)


def _drawn(reading: TypedReading, arp_height_m: float, above_m: float | None, unit: str) -> Height:
    """Return a height as it is drawn: the ARP at a height, measured as a reading was."""
    feature = reading.to
    return Height(
        reading_m=reading.reading_m,
        arp_height_m=arp_height_m,
        feature_to_arp_m=feature.feature_to_arp_m,
        rim_radius_m=feature.rim_radius_m,
        phase_centre_up_m=above_m,
        feature_height_m=arp_height_m - feature.feature_to_arp_m,
        phase_centre_height_m=None if above_m is None else arp_height_m + above_m,
        method=feature.method,
        text=text_from_metres(arp_height_m, unit),
    )


def readings_view(job: JobNow, antenna: KnownAntenna, readings: Readings) -> BaseHeights:
    """Return the readings before and after with their mean, and what they say of each other."""
    limit_m, unit = job.settings.height_limit_m, job.length_unit
    found: dict[str, list[Finding]] = {"before": [], "after": []}
    rows: list[ReadingView] = []
    means: dict[str, BaseHeight | None] = {}
    for moment in ("before", "after"):
        listed = readings.current(moment)
        height = means[moment] = readings.height(moment)
        typed = [as_typed(row, antenna.features) for row in listed if not row.set_aside]
        found[moment] += judge_heights(typed, antenna, limit_m, unit)
        if moment == "before":
            found[moment] += judge_completeness(typed, unit)
        agree = height is not None and round(height.mean.spread_m, 5) <= limit_m
        rows += [_reading_view(row, height if agree else None) for row in listed]
    opening, closing = means["before"], means["after"]
    if opening is not None and closing is not None:
        found["after"].append(judge_opening_and_closing(opening.arp_height_m, closing.arp_height_m, limit_m, unit))
    return BaseHeights(
        readings=rows,
        opening=_mean_view(opening, antenna, limit_m, unit),
        closing=_mean_view(closing, antenna, limit_m, unit),
        limit_m=limit_m,
        findings=found["before"],
        closing_findings=found["after"],
    )


def _reading_view(row: HeightReading, height: BaseHeight | None) -> ReadingView:
    return ReadingView(
        id=row.id,
        text=row.text,
        reading_m=row.reading_m,
        arp_height_m=row.arp_height_m,
        feature=row.feature,
        feature_label=row.feature_label,
        method=row.method,
        rim_radius_m=row.rim_radius_m,
        feature_to_arp_m=row.feature_to_arp_m,
        moment=cast(ReadingMoment, row.moment),
        who=row.who,
        created_s=row.created_s,
        set_aside=row.set_aside,
        corrected=row.replaces_id is not None,
        reason=row.reason,
        from_mean_m=None if height is None or row.set_aside else row.arp_height_m - height.arp_height_m,
    )


def _mean_view(height: BaseHeight | None, antenna: KnownAntenna, limit_m: float, unit: str) -> MeanHeightView | None:
    if height is None:
        return None
    mean, read = height.mean, " and ".join(reading.text for reading in height.readings)
    if round(mean.spread_m, 5) > limit_m:
        heights = sorted(reading.arp_height_m for reading in height.readings)
        ends = f"{text_from_metres(heights[0], unit)} to {text_from_metres(heights[-1], unit)}"
        worth = f"{mean.count} readings, {text_from_metres(mean.spread_m, unit)} apart: no standard deviation"
        return MeanHeightView(
            arp_height_m=mean.arp_height_m,
            sigma_m=None,
            spread_m=mean.spread_m,
            count=mean.count,
            text=ends,
            worth=worth,
            read=read,
            stack=None,
        )
    stack = _drawn(height.readings[-1], mean.arp_height_m, antenna.phase_centre_up_m, unit)
    return MeanHeightView(
        arp_height_m=mean.arp_height_m,
        sigma_m=mean.sigma_m,
        spread_m=mean.spread_m,
        count=mean.count,
        text=stack.text,
        worth=_worth(mean),
        read=read,
        stack=stack,
    )


def _worth(mean: MeanHeight) -> str:
    """Return what a mean rests on: readings of one look count once."""
    readings = "one reading" if mean.count == 1 else f"mean of {mean.count}, spread {mean.spread_m * 1000:.1f} mm"
    looks = "" if mean.looks == mean.count else f", of {counted(mean.looks, 'look')} at the tape"
    return f"{readings}{looks}, one sigma {mean.sigma_m * 1000:.1f} mm"
