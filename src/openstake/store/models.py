"""Tables.  Lengths in metres, Earth-centred coordinates, keys are UUIDs, host times are Unix seconds (UTC).

A reading is never changed: a correction is a new row whose `replaces_id` names the old one.  It is unique, so two people
who correct the same row cannot both win.
"""

from __future__ import annotations

import uuid
from typing import Any

from sqlalchemy import Boolean, Float, ForeignKey, Index, Integer, LargeBinary, String, Text, UniqueConstraint, false
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

from openstake.core.base_settled import Settled
from openstake.core.budget import BudgetSettings
from openstake.core.check_plan import CheckSettings
from openstake.core.geodesy.frames import FrameDefinition
from openstake.core.judge.bench import BenchRecord
from openstake.core.localfit.choice import FitChoice
from openstake.core.localfit.kept import AppliedFit, FitResult
from openstake.core.shot import ShotSettings
from openstake.core.shot_series import FieldTestSettled, TurnSettled
from openstake.core.sky.against import SkyCompared
from openstake.core.sky.photo import PhotoAim
from openstake.core.sky.skyline import Skyline
from openstake.store.jsoncolumn import APPLIED_FIT, DOCUMENT, FIT_CHOICE, FRAME, SKYLINE, json_of, settings_of

# Tables in which a job has one line: the first rows of two crews disagree like any two that replace one row.
ONE_LINE_A_JOB = ("job_settings", "shot_settings", "check_settings", "fit_chosen", "fit_applied", "budget_settings")


class Base(DeclarativeBase):
    """All tables of a data folder."""


def new_id() -> str:
    return str(uuid.uuid4())


def _key() -> Mapped[str]:
    return mapped_column(String(36), primary_key=True, default=new_id)


class Device(Base):
    """An installation: one hash chain of the Book each.  Which is this one is in `own_device`."""

    __tablename__ = "device"
    id: Mapped[str] = _key()
    created_s: Mapped[float] = mapped_column(Float)


class OwnDevice(Base):
    """Which device this installation is: the newest row; a restored data folder goes on as a device of its own."""

    __tablename__ = "own_device"
    n: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=True)
    device_id: Mapped[str] = mapped_column(ForeignKey("device.id"), unique=True)
    created_s: Mapped[float] = mapped_column(Float)


class Job(Base):
    """A job; what can be changed of it is in its settings.  `practice`: its devices are stand-ins."""

    __tablename__ = "job"
    id: Mapped[str] = _key()
    practice: Mapped[bool] = mapped_column(Boolean, default=False)
    created_s: Mapped[float] = mapped_column(Float)


class TimePassed(Base):
    """Time that somebody let pass in a practice job: it is so many seconds later there than by the host's clock."""

    __tablename__ = "time_passed"
    id: Mapped[str] = _key()
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"), index=True)
    seconds: Mapped[float] = mapped_column(Float)
    created_s: Mapped[float] = mapped_column(Float)


class JobSettings(Base):
    """What a job is called and how its numbers are meant."""

    __tablename__ = "job_settings"
    id: Mapped[str] = _key()
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"), index=True)
    name: Mapped[str] = mapped_column(String(200))
    archived: Mapped[bool] = mapped_column(Boolean, default=False)
    client: Mapped[str] = mapped_column(String(200), default="")
    task: Mapped[str] = mapped_column(String(200), default="")
    crew: Mapped[str] = mapped_column(String(200), default="")
    time_zone: Mapped[str] = mapped_column(String(64), default="UTC")
    notes: Mapped[str] = mapped_column(Text, default="")
    length_unit: Mapped[str] = mapped_column(String(8))
    frame: Mapped[FrameDefinition] = mapped_column(FRAME)
    system_label: Mapped[str] = mapped_column(String(200), default="")
    frame_name: Mapped[str] = mapped_column(String(200), default="")
    frame_epoch: Mapped[str] = mapped_column(String(80), default="")
    vertical_system: Mapped[str] = mapped_column(String(200), default="")
    geoid_id: Mapped[str | None] = mapped_column(ForeignKey("geoid_grid.id"))
    project_height_m: Mapped[float | None] = mapped_column(Float)
    height_limit_m: Mapped[float] = mapped_column(Float, default=0.003)
    place_latitude_deg: Mapped[float | None] = mapped_column(Float)
    place_longitude_deg: Mapped[float | None] = mapped_column(Float)
    replaces_id: Mapped[str | None] = mapped_column(ForeignKey("job_settings.id"), unique=True)
    reason: Mapped[str] = mapped_column(Text, default="")
    created_s: Mapped[float] = mapped_column(Float)


class GeoidGridFile(Base):
    """A geoid grid that was added: its file lies in the data folder under its SHA-256."""

    __tablename__ = "geoid_grid"
    id: Mapped[str] = _key()
    name: Mapped[str] = mapped_column(String(200))
    file: Mapped[str] = mapped_column(String(200))
    training_only: Mapped[bool] = mapped_column(Boolean, default=False)
    created_s: Mapped[float] = mapped_column(Float)


class Mark(Base):
    """One control mark as given: grid metres, or latitude and longitude in the job's datum.

    The height is `ellipsoidal`, an `elevation`, or absent.  `withdrawn`: taken out of the list by its latest row.
    """

    __tablename__ = "mark"
    id: Mapped[str] = _key()
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"), index=True)
    name: Mapped[str] = mapped_column(String(80))
    east_m: Mapped[float | None] = mapped_column(Float)
    north_m: Mapped[float | None] = mapped_column(Float)
    latitude_deg: Mapped[float | None] = mapped_column(Float)
    longitude_deg: Mapped[float | None] = mapped_column(Float)
    height_m: Mapped[float | None] = mapped_column(Float)
    height_kind: Mapped[str | None] = mapped_column(String(16))
    sigma_horizontal_m: Mapped[float] = mapped_column(Float)
    sigma_vertical_m: Mapped[float] = mapped_column(Float)
    order: Mapped[str] = mapped_column("order_class", String(200), default="")
    source: Mapped[str] = mapped_column(String(200))
    note: Mapped[str] = mapped_column(Text, default="")
    check_only: Mapped[bool] = mapped_column(Boolean, default=False)
    withdrawn: Mapped[bool] = mapped_column(Boolean, default=False)
    replaces_id: Mapped[str | None] = mapped_column(ForeignKey("mark.id"), unique=True)
    reason: Mapped[str] = mapped_column(Text, default="")
    created_s: Mapped[float] = mapped_column(Float)


class GearItem(Base):
    """A thing of the kit; `data` is what `core/kit/gear.py` has of its kind.  Passwords are elsewhere."""

    __tablename__ = "gear"
    id: Mapped[str] = _key()
    line_id: Mapped[str] = mapped_column(String(36), index=True)
    kind: Mapped[str] = mapped_column(String(16))
    name: Mapped[str] = mapped_column(String(200))
    data: Mapped[dict[str, Any]] = mapped_column(DOCUMENT)
    withdrawn: Mapped[bool] = mapped_column(Boolean, default=False)
    replaces_id: Mapped[str | None] = mapped_column(ForeignKey("gear.id"), unique=True)
    created_s: Mapped[float] = mapped_column(Float)


class ProfileVersion(Base):
    """One version of a profile; all versions of one profile share `line_id`.  `data` is the profile's file."""

    __tablename__ = "profile"
    id: Mapped[str] = _key()
    line_id: Mapped[str] = mapped_column(String(36), index=True)
    version: Mapped[int] = mapped_column(Integer)
    name: Mapped[str] = mapped_column(String(200))
    role: Mapped[str] = mapped_column(String(16))
    data: Mapped[str] = mapped_column(Text)
    withdrawn: Mapped[bool] = mapped_column(Boolean, default=False)
    replaces_id: Mapped[str | None] = mapped_column(ForeignKey("profile.id"), unique=True)
    created_s: Mapped[float] = mapped_column(Float)


class JobProfile(Base):
    """A profile chosen for a job, or no longer: the latest row of each counts."""

    __tablename__ = "job_profile"
    id: Mapped[str] = _key()
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"), index=True)
    line_id: Mapped[str] = mapped_column(String(36))
    chosen: Mapped[bool] = mapped_column(Boolean)
    created_s: Mapped[float] = mapped_column(Float)


class Tick(Base):
    """A thing ticked off a list (`packing`, or the card of a pair), or not any more: the latest row of each counts."""

    __tablename__ = "tick"
    id: Mapped[str] = _key()
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"), index=True)
    list: Mapped[str] = mapped_column("list_name", String(200))
    item: Mapped[str] = mapped_column(String(200))
    done: Mapped[bool] = mapped_column(Boolean)
    created_s: Mapped[float] = mapped_column(Float)


class SetUp(Base):
    """A base being set up: `data` is what was settled so far.  All rows of one set-up share `line_id`.

    `dropped`: abandoned by its latest row.  It ends when an occupation names it.
    """

    __tablename__ = "setup"
    id: Mapped[str] = _key()
    line_id: Mapped[str] = mapped_column(String(36), index=True)
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"), index=True)
    data: Mapped[Settled] = mapped_column(json_of(Settled))
    dropped: Mapped[bool] = mapped_column(Boolean, default=False)
    replaces_id: Mapped[str | None] = mapped_column(ForeignKey("setup.id"), unique=True)
    created_s: Mapped[float] = mapped_column(Float)


class Photo(Base):
    """A photo of a set-up or a shot (`owner_id`); its file lies in the data folder under its SHA-256."""

    __tablename__ = "photo"
    id: Mapped[str] = _key()
    # The column has its name from the time when set-ups alone had photos.
    owner_id: Mapped[str] = mapped_column("setup_id", String(36), index=True)
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"))
    name: Mapped[str] = mapped_column(String(200))
    media_type: Mapped[str] = mapped_column(String(40))
    file: Mapped[str] = mapped_column(String(200))
    created_s: Mapped[float] = mapped_column(Float)


class Occupation(Base):
    """The base over one mark, from start to end."""

    __tablename__ = "occupation"
    id: Mapped[str] = _key()
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"), index=True)
    mark_id: Mapped[str] = mapped_column(ForeignKey("mark.id"))
    station_id: Mapped[int] = mapped_column(Integer)
    setup_id: Mapped[str | None] = mapped_column(String(36), index=True)
    started_s: Mapped[float] = mapped_column(Float)


class HeightReading(Base):
    """One height as typed, and what it makes: the ARP above the mark.  `subject` is `base` or `rover`.

    `bare_unit` is the unit in which a number without one was read: that in force when it was typed.

    A base's reading belongs to its set-up; `moment` is `before` the session or `after` it.  `set_aside`: not used any
    more by its latest row.
    """

    __tablename__ = "height_reading"
    id: Mapped[str] = _key()
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"))
    occupation_id: Mapped[str | None] = mapped_column(ForeignKey("occupation.id"), index=True)
    subject: Mapped[str] = mapped_column(String(8))
    text: Mapped[str] = mapped_column(String(80))
    reading_m: Mapped[float] = mapped_column(Float)
    bare_unit: Mapped[str] = mapped_column(String(4), default="m")
    method: Mapped[str] = mapped_column(String(16))
    # The key of what was measured to, and its label; the columns have their names from the first version.
    feature: Mapped[str] = mapped_column("feature_name", String(20))
    feature_label: Mapped[str] = mapped_column("feature", String(80))
    rim_radius_m: Mapped[float] = mapped_column(Float)
    feature_to_arp_m: Mapped[float] = mapped_column(Float)
    arp_height_m: Mapped[float] = mapped_column(Float)
    setup_id: Mapped[str | None] = mapped_column(String(36), index=True)
    moment: Mapped[str] = mapped_column(String(8), default="before")
    who: Mapped[str] = mapped_column(String(80), default="")
    set_aside: Mapped[bool] = mapped_column(Boolean, default=False)
    replaces_id: Mapped[str | None] = mapped_column(ForeignKey("height_reading.id"), unique=True)
    reason: Mapped[str] = mapped_column(Text, default="")
    created_s: Mapped[float] = mapped_column(Float)


class PositionAverageRow(Base):
    """An average of what a receiver reported, Earth-centred metres of what the positions refer to; its epochs are kept.

    `purpose` is `base` (the base's own receiver) or `mark` (a rover held over the mark).  One sigma in east, north, up.
    """

    __tablename__ = "position_average"
    id: Mapped[str] = _key()
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"), index=True)
    purpose: Mapped[str] = mapped_column(String(8))
    mark_id: Mapped[str | None] = mapped_column(ForeignKey("mark.id"), index=True)
    setup_id: Mapped[str | None] = mapped_column(String(36))
    origin: Mapped[str] = mapped_column(Text)
    refers_to: Mapped[str] = mapped_column(String(8))
    arp_to_apc_m: Mapped[float | None] = mapped_column(Float)
    height_reading_id: Mapped[str | None] = mapped_column(ForeignKey("height_reading.id"))
    x_m: Mapped[float] = mapped_column(Float)
    y_m: Mapped[float] = mapped_column(Float)
    z_m: Mapped[float] = mapped_column(Float)
    epochs: Mapped[int] = mapped_column(Integer)
    used: Mapped[int] = mapped_column(Integer)
    span_s: Mapped[float] = mapped_column(Float)
    effective_n: Mapped[float] = mapped_column(Float)
    lowest_status: Mapped[str] = mapped_column(String(8))
    accuracy_95_m: Mapped[float] = mapped_column(Float)
    created_s: Mapped[float] = mapped_column(Float)


class BaseCoordinate(Base):
    """A coordinate of the base's mark: Earth-centred metres in a frame, with its source and accuracy (95 %).

    `evidence_id` is the mark, average, shot or earlier coordinate it came from.  `locked`: control quality.
    """

    __tablename__ = "base_coordinate"
    id: Mapped[str] = _key()
    occupation_id: Mapped[str] = mapped_column(ForeignKey("occupation.id"), index=True)
    x_m: Mapped[float] = mapped_column(Float)
    y_m: Mapped[float] = mapped_column(Float)
    z_m: Mapped[float] = mapped_column(Float)
    source: Mapped[str] = mapped_column(String(16))
    detail: Mapped[str] = mapped_column(Text)
    accuracy_horizontal_95_m: Mapped[float] = mapped_column(Float)
    accuracy_vertical_95_m: Mapped[float] = mapped_column(Float)
    frame: Mapped[str] = mapped_column(String(200))
    frame_epoch: Mapped[str] = mapped_column(String(80))
    evidence_id: Mapped[str | None] = mapped_column(String(36))
    locked: Mapped[bool] = mapped_column(Boolean, default=False)
    replaces_id: Mapped[str | None] = mapped_column(ForeignKey("base_coordinate.id"), unique=True)
    reason: Mapped[str] = mapped_column(Text, default="")
    created_s: Mapped[float] = mapped_column(Float)


class Listening(Base):
    """A session of listening: addresses without passwords, what the rover's position refers to, its receiver's name.

    `further`: one more rover on the same base, with `rover_url` alone.  A change of it is a new row that names the one before;
    `withdrawn`: it is no longer listened to.
    """

    __tablename__ = "listening"
    id: Mapped[str] = _key()
    occupation_id: Mapped[str] = mapped_column(ForeignKey("occupation.id"), index=True)
    base_url: Mapped[str | None] = mapped_column(Text)
    rover_url: Mapped[str | None] = mapped_column(Text)
    receiver_url: Mapped[str | None] = mapped_column(Text)
    refers_to: Mapped[str] = mapped_column(String(8))
    arp_to_apc_m: Mapped[float | None] = mapped_column(Float)
    device: Mapped[str] = mapped_column(String(200), default="")
    further: Mapped[bool] = mapped_column(Boolean, default=False)
    withdrawn: Mapped[bool] = mapped_column(Boolean, default=False)
    replaces_id: Mapped[str | None] = mapped_column(String(36), unique=True)
    started_s: Mapped[float] = mapped_column(Float)


class OccupationEnd(Base):
    """The end of an occupation: a row of its own, so that nothing is overwritten."""

    __tablename__ = "occupation_end"
    occupation_id: Mapped[str] = mapped_column(ForeignKey("occupation.id"), primary_key=True)
    ended_s: Mapped[float] = mapped_column(Float)


class StaticLog(Base):
    """Raw data of the base marked for post-processing: from a place in the raw files of its stream."""

    __tablename__ = "static_log"
    id: Mapped[str] = _key()
    occupation_id: Mapped[str] = mapped_column(ForeignKey("occupation.id"), index=True)
    raw_file: Mapped[str] = mapped_column(String(200))
    raw_offset: Mapped[int] = mapped_column(Integer)
    started_s: Mapped[float] = mapped_column(Float)


class StaticLogEnd(Base):
    """The end of a static log: a row of its own."""

    __tablename__ = "static_log_end"
    log_id: Mapped[str] = mapped_column(ForeignKey("static_log.id"), primary_key=True)
    raw_file: Mapped[str] = mapped_column(String(200))
    raw_offset: Mapped[int] = mapped_column(Integer)
    ended_s: Mapped[float] = mapped_column(Float)


class Reference(Base):
    """A base reference in force: decoded from 1005/1006 with the place of its frame, or declared where none is heard."""

    __tablename__ = "reference"
    id: Mapped[str] = _key()
    listening_id: Mapped[str] = mapped_column(ForeignKey("listening.id"), index=True)
    origin: Mapped[str] = mapped_column(String(16))
    station_id: Mapped[int] = mapped_column(Integer)
    x_m: Mapped[float] = mapped_column(Float)
    y_m: Mapped[float] = mapped_column(Float)
    z_m: Mapped[float] = mapped_column(Float)
    antenna_height_m: Mapped[float | None] = mapped_column(Float)
    virtual: Mapped[bool] = mapped_column(Boolean)
    raw_file: Mapped[str] = mapped_column(String(200), default="")
    raw_offset: Mapped[int] = mapped_column(Integer, default=0)
    heard_s: Mapped[float] = mapped_column(Float)


class _EpochColumns:
    """An epoch as received: angles as text, the receiver's claim as one sigma in metres."""

    time_of_day_s: Mapped[float | None] = mapped_column(Float)
    date: Mapped[str | None] = mapped_column(String(10))
    host_s: Mapped[float] = mapped_column(Float)
    quality: Mapped[int] = mapped_column(Integer)
    latitude_text: Mapped[str] = mapped_column(String(24))
    longitude_text: Mapped[str] = mapped_column(String(24))
    altitude_m: Mapped[float | None] = mapped_column(Float)
    separation_m: Mapped[float | None] = mapped_column(Float)
    satellites: Mapped[int | None] = mapped_column(Integer)
    pdop: Mapped[float | None] = mapped_column(Float)
    hdop: Mapped[float | None] = mapped_column(Float)
    vdop: Mapped[float | None] = mapped_column(Float)
    age_s: Mapped[float | None] = mapped_column(Float)
    station_id: Mapped[int | None] = mapped_column(Integer)
    sigma_east_m: Mapped[float | None] = mapped_column(Float)
    sigma_north_m: Mapped[float | None] = mapped_column(Float)
    sigma_up_m: Mapped[float | None] = mapped_column(Float)
    sigma_major_m: Mapped[float | None] = mapped_column(Float)
    sigma_minor_m: Mapped[float | None] = mapped_column(Float)
    orientation_deg: Mapped[float | None] = mapped_column(Float)
    reference_id: Mapped[str | None] = mapped_column(String(36))


class EpochRow(_EpochColumns, Base):
    """Every epoch of a session at the received rate."""

    __tablename__ = "epoch"
    id: Mapped[str] = _key()
    listening_id: Mapped[str] = mapped_column(ForeignKey("listening.id"))
    __table_args__ = (Index("ix_epoch_listening_host", "listening_id", "host_s"),)


class AverageEpoch(_EpochColumns, Base):
    """The epochs of an average, in order."""

    __tablename__ = "average_epoch"
    average_id: Mapped[str] = mapped_column(ForeignKey("position_average.id"), primary_key=True)
    n: Mapped[int] = mapped_column(Integer, primary_key=True)


class Shot(Base):
    """A shot keeps what was received and the ids it rests on; its coordinate is always derived.

    A check stands on a mark and has tolerances; a point has neither, and its name is that of its label.  `initialised_s` is
    since when its fix held (host seconds; None where that was not seen), `tilt` what the crew said of tilt compensation.

    `rests_on` are the ids of everything its check rested on when it was stored: settings, mark, base coordinate,
    base heights, pole, base reference.
    """

    __tablename__ = "shot"
    id: Mapped[str] = _key()
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"))
    listening_id: Mapped[str] = mapped_column(ForeignKey("listening.id"))
    occupation_id: Mapped[str] = mapped_column(ForeignKey("occupation.id"), index=True)
    mark_id: Mapped[str | None] = mapped_column(ForeignKey("mark.id"))
    kind: Mapped[str] = mapped_column(String(12), default="check")
    name: Mapped[str] = mapped_column(String(80))
    height_reading_id: Mapped[str] = mapped_column(ForeignKey("height_reading.id"))
    reference_id: Mapped[str] = mapped_column(ForeignKey("reference.id"))
    refers_to: Mapped[str] = mapped_column(String(8))
    arp_to_apc_m: Mapped[float | None] = mapped_column(Float)
    seconds: Mapped[float] = mapped_column(Float)
    fixed_only: Mapped[bool] = mapped_column(Boolean)
    tolerance_horizontal_m: Mapped[float | None] = mapped_column(Float)
    tolerance_vertical_m: Mapped[float | None] = mapped_column(Float)
    initialised_s: Mapped[float | None] = mapped_column(Float)
    tilt: Mapped[str] = mapped_column(String(8), default="")
    covariance_origin: Mapped[str] = mapped_column(String(16))
    sigma_east_m: Mapped[float | None] = mapped_column(Float)
    sigma_north_m: Mapped[float | None] = mapped_column(Float)
    sigma_up_m: Mapped[float | None] = mapped_column(Float)
    covariance_en_m2: Mapped[float | None] = mapped_column(Float)
    effective_n: Mapped[float | None] = mapped_column(Float)
    frame: Mapped[str] = mapped_column(String(200))
    frame_epoch: Mapped[str] = mapped_column(String(80))
    rests_on: Mapped[tuple[str, ...]] = mapped_column(json_of(tuple[str, ...]))
    started_s: Mapped[float] = mapped_column(Float)
    created_s: Mapped[float] = mapped_column(Float)
    __table_args__ = (Index("ix_shot_job_created", "job_id", "created_s", "id"),)


class ShotEpoch(_EpochColumns, Base):
    """The epochs of a shot, in order; those that are not `used` were left out of its mean."""

    __tablename__ = "shot_epoch"
    shot_id: Mapped[str] = mapped_column(ForeignKey("shot.id"), primary_key=True)
    n: Mapped[int] = mapped_column(Integer, primary_key=True)
    used: Mapped[bool] = mapped_column(Boolean, default=True)


class PointLabel(Base):
    """What a point is called, its code and a note: the first row is made with its shot.  `taken_out` by its latest row."""

    __tablename__ = "point_label"
    id: Mapped[str] = _key()
    shot_id: Mapped[str] = mapped_column(ForeignKey("shot.id"), index=True)
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"))
    name: Mapped[str] = mapped_column(String(80))
    code: Mapped[str] = mapped_column(String(80), default="")
    note: Mapped[str] = mapped_column(Text, default="")
    taken_out: Mapped[bool] = mapped_column(Boolean, default=False)
    replaces_id: Mapped[str | None] = mapped_column(ForeignKey("point_label.id"), unique=True)
    reason: Mapped[str] = mapped_column(Text, default="")
    created_s: Mapped[float] = mapped_column(Float)
    __table_args__ = (Index("ix_point_label_job_name", "job_id", "name"),)


class ShotSettingsRow(Base):
    """How a job's shots are taken: its kinds and codes."""

    __tablename__ = "shot_settings"
    id: Mapped[str] = _key()
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"), index=True)
    data: Mapped[ShotSettings] = mapped_column(settings_of(ShotSettings))
    replaces_id: Mapped[str | None] = mapped_column(ForeignKey("shot_settings.id"), unique=True)
    created_s: Mapped[float] = mapped_column(Float)


class CheckSettingsRow(Base):
    """How a job is checked: the tolerances, the marks of the plan and when they are repeated."""

    __tablename__ = "check_settings"
    id: Mapped[str] = _key()
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"), index=True)
    data: Mapped[CheckSettings] = mapped_column(settings_of(CheckSettings))
    replaces_id: Mapped[str | None] = mapped_column(ForeignKey("check_settings.id"), unique=True)
    created_s: Mapped[float] = mapped_column(Float)


class SiteChange(Base):
    """Something that the crew changed at the base, after which all is checked again: `kind` says what."""

    __tablename__ = "site_change"
    id: Mapped[str] = _key()
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"))
    occupation_id: Mapped[str] = mapped_column(ForeignKey("occupation.id"), index=True)
    kind: Mapped[str] = mapped_column(String(16))
    created_s: Mapped[float] = mapped_column(Float)


class GroundMeasure(Base):
    """A distance or a height difference measured without GNSS between two shots, as typed and in metres, with its one sigma.

    `kind` is `slope`, `horizontal` or `levelled`; a height difference is that of the second shot above the first.
    """

    __tablename__ = "ground_measure"
    id: Mapped[str] = _key()
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"), index=True)
    kind: Mapped[str] = mapped_column(String(12))
    from_shot_id: Mapped[str] = mapped_column(ForeignKey("shot.id"))
    to_shot_id: Mapped[str] = mapped_column(ForeignKey("shot.id"))
    text: Mapped[str] = mapped_column(String(80))
    measured_m: Mapped[float] = mapped_column(Float)
    from_above_m: Mapped[float] = mapped_column(Float, default=0.0)
    to_above_m: Mapped[float] = mapped_column(Float, default=0.0)
    sigma_m: Mapped[float] = mapped_column(Float)
    withdrawn: Mapped[bool] = mapped_column(Boolean, default=False)
    replaces_id: Mapped[str | None] = mapped_column(ForeignKey("ground_measure.id"), unique=True)
    created_s: Mapped[float] = mapped_column(Float)


class ShotSeries(Base):
    """Shots taken for one purpose: `kind` is `pole turn` or `field test`, `data` what was settled before."""

    __tablename__ = "shot_series"
    id: Mapped[str] = _key()
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"), index=True)
    kind: Mapped[str] = mapped_column(String(16))
    data: Mapped[TurnSettled | FieldTestSettled] = mapped_column(json_of(TurnSettled | FieldTestSettled))
    withdrawn: Mapped[bool] = mapped_column(Boolean, default=False)
    replaces_id: Mapped[str | None] = mapped_column(ForeignKey("shot_series.id"), unique=True)
    created_s: Mapped[float] = mapped_column(Float)


class ShotSeriesItem(Base):
    """A shot of a series and its place in it (a facing in degrees; series, set and point): the latest of a place counts."""

    __tablename__ = "shot_series_item"
    id: Mapped[str] = _key()
    series_id: Mapped[str] = mapped_column(ForeignKey("shot_series.id"), index=True)
    place: Mapped[str] = mapped_column(String(16))
    shot_id: Mapped[str] = mapped_column(ForeignKey("shot.id"))
    created_s: Mapped[float] = mapped_column(Float)


class FitMark(Base):
    """A mark of a local fit: its given local coordinate; all rows of one mark share `line_id`.

    Its GNSS side are its shots, or grid metres that were imported, or the mark of a base (`occupation_id`).
    """

    __tablename__ = "fit_mark"
    id: Mapped[str] = _key()
    line_id: Mapped[str] = mapped_column(String(36), index=True)
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"), index=True)
    name: Mapped[str] = mapped_column(String(80))
    local_e_m: Mapped[float] = mapped_column(Float)
    local_n_m: Mapped[float] = mapped_column(Float)
    local_h_m: Mapped[float | None] = mapped_column(Float)
    sigma_h_m: Mapped[float | None] = mapped_column(Float)
    sigma_v_m: Mapped[float | None] = mapped_column(Float)
    gnss_e_m: Mapped[float | None] = mapped_column(Float)
    gnss_n_m: Mapped[float | None] = mapped_column(Float)
    gnss_h_m: Mapped[float | None] = mapped_column(Float)
    occupation_id: Mapped[str | None] = mapped_column(ForeignKey("occupation.id"))
    source: Mapped[str] = mapped_column(String(200), default="")
    withdrawn: Mapped[bool] = mapped_column(Boolean, default=False)
    replaces_id: Mapped[str | None] = mapped_column(ForeignKey("fit_mark.id"), unique=True)
    reason: Mapped[str] = mapped_column(Text, default="")
    created_s: Mapped[float] = mapped_column(Float)


class FitShot(Base):
    """A shot taken into a mark of a local fit, or out of it: the latest row of each counts."""

    __tablename__ = "fit_shot"
    id: Mapped[str] = _key()
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"), index=True)
    line_id: Mapped[str] = mapped_column(String(36))
    shot_id: Mapped[str] = mapped_column(ForeignKey("shot.id"))
    used: Mapped[bool] = mapped_column(Boolean)
    created_s: Mapped[float] = mapped_column(Float)


class FitChosen(Base):
    """A local fit as it was chosen: `data` is the choice, `result` of what came out, `words` what was changed.

    `undid`: it took the choice before it back.
    """

    __tablename__ = "fit_chosen"
    id: Mapped[str] = _key()
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"), index=True)
    data: Mapped[FitChoice] = mapped_column(FIT_CHOICE)
    result: Mapped[FitResult] = mapped_column(json_of(FitResult))
    words: Mapped[str] = mapped_column(Text)
    undid: Mapped[bool] = mapped_column(Boolean, default=False, server_default=false())
    replaces_id: Mapped[str | None] = mapped_column(ForeignKey("fit_chosen.id"), unique=True)
    created_s: Mapped[float] = mapped_column(Float)


class FitApplied(Base):
    """A local fit in use, or `dropped`: `data` are its parameters and marks, which stay as they were applied.

    `rests_on` are the ids of everything it was made from.
    """

    __tablename__ = "fit_applied"
    id: Mapped[str] = _key()
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"), index=True)
    data: Mapped[AppliedFit] = mapped_column(APPLIED_FIT)
    rests_on: Mapped[tuple[str, ...]] = mapped_column(json_of(tuple[str, ...]))
    dropped: Mapped[bool] = mapped_column(Boolean, default=False)
    replaces_id: Mapped[str | None] = mapped_column(ForeignKey("fit_applied.id"), unique=True)
    created_s: Mapped[float] = mapped_column(Float)


class BudgetSettingsRow(Base):
    """What a job takes for each link of the chain where nothing better is known."""

    __tablename__ = "budget_settings"
    id: Mapped[str] = _key()
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"), index=True)
    data: Mapped[BudgetSettings] = mapped_column(settings_of(BudgetSettings))
    replaces_id: Mapped[str | None] = mapped_column(ForeignKey("budget_settings.id"), unique=True)
    created_s: Mapped[float] = mapped_column(Float)


class FindingAnswer(Base):
    """What somebody answered to a finding, as its sentence stood: it hides nothing, and another sentence is asked anew."""

    __tablename__ = "finding_answer"
    id: Mapped[str] = _key()
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"), index=True)
    code: Mapped[str] = mapped_column(String(60))
    sentence: Mapped[str] = mapped_column(Text)
    words: Mapped[str] = mapped_column(Text)
    who: Mapped[str] = mapped_column(String(80))
    created_s: Mapped[float] = mapped_column(Float)


class BenchTest(Base):
    """A bench test of a pair: what was taped, heard and measured."""

    __tablename__ = "bench_test"
    id: Mapped[str] = _key()
    job_id: Mapped[str | None] = mapped_column(ForeignKey("job.id"), index=True)
    data: Mapped[BenchRecord] = mapped_column(json_of(BenchRecord))
    created_s: Mapped[float] = mapped_column(Float)


class ElementFile(Base):
    """A file of satellites' elements as it was loaded, byte for byte; `kind` is what it holds.  `withdrawn`: not used by its latest row."""

    __tablename__ = "element_file"
    id: Mapped[str] = _key()
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"), index=True)
    name: Mapped[str] = mapped_column(String(200))
    kind: Mapped[str] = mapped_column(String(16))
    imported_id: Mapped[str] = mapped_column(ForeignKey("imported_file.id"))
    withdrawn: Mapped[bool] = mapped_column(Boolean, default=False)
    replaces_id: Mapped[str | None] = mapped_column(ForeignKey("element_file.id"), unique=True)
    created_s: Mapped[float] = mapped_column(Float)


class HeardEphemeris(Base):
    """A broadcast ephemeris out of a base's own stream: the message's `number` (RTCM 3) and its payload as it was heard."""

    __tablename__ = "heard_ephemeris"
    id: Mapped[str] = _key()
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"), index=True)
    listening_id: Mapped[str] = mapped_column(ForeignKey("listening.id"))
    number: Mapped[int] = mapped_column(Integer)
    payload: Mapped[bytes] = mapped_column(LargeBinary)
    heard_s: Mapped[float] = mapped_column(Float)


class SkylineRow(Base):
    """What hides the sky from a mark, as corners of a line; `origin` says where it came from, `photo` what lay under it when it was drawn.

    A line that is changed or taken back is a new row; one without corners hides nothing.
    """

    __tablename__ = "skyline"
    id: Mapped[str] = _key()
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"), index=True)
    mark_id: Mapped[str] = mapped_column(ForeignKey("mark.id"))
    data: Mapped[Skyline] = mapped_column(SKYLINE)
    origin: Mapped[str] = mapped_column(String(16))
    photo: Mapped[PhotoAim | None] = mapped_column(json_of(PhotoAim))
    replaces_id: Mapped[str | None] = mapped_column(ForeignKey("skyline.id"), unique=True)
    created_s: Mapped[float] = mapped_column(Float)


class SkyCheck(Base):
    """The sky that was expected held against what was seen: `data` is what came of it, with what it rested on."""

    __tablename__ = "sky_check"
    id: Mapped[str] = _key()
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"), index=True)
    occupation_id: Mapped[str] = mapped_column(ForeignKey("occupation.id"))
    data: Mapped[SkyCompared] = mapped_column(json_of(SkyCompared))
    created_s: Mapped[float] = mapped_column(Float)


class BookEntry(Base):
    """One line of the Book.  `hash` covers the line and the hash before it; `text` is canonical JSON."""

    __tablename__ = "book"
    id: Mapped[str] = _key()
    device_id: Mapped[str] = mapped_column(ForeignKey("device.id"))
    sequence: Mapped[int] = mapped_column(Integer)
    job_id: Mapped[str | None] = mapped_column(ForeignKey("job.id"), index=True)
    text: Mapped[str] = mapped_column(Text)
    previous_hash: Mapped[str] = mapped_column(String(64))
    hash: Mapped[str] = mapped_column(String(64))
    __table_args__ = (UniqueConstraint("device_id", "sequence"),)


class SealedLine(Base):
    """A line of another installation's chain that tells of other jobs: its links came with a package, its text did not."""

    __tablename__ = "sealed_line"
    device_id: Mapped[str] = mapped_column(ForeignKey("device.id"), primary_key=True)
    sequence: Mapped[int] = mapped_column(Integer, primary_key=True)
    previous_hash: Mapped[str] = mapped_column(String(64))
    hash: Mapped[str] = mapped_column(String(64))


class Rival(Base):
    """What a row truly replaced, where it follows another one in its table; a row a parent, an empty one for none.

    A `joined` row stands for all that it names until a person replaces it.  It is made by each folder for itself.
    """

    __tablename__ = "rival"
    row_id: Mapped[str] = mapped_column(String(36), primary_key=True)
    said_replaces_id: Mapped[str] = mapped_column(String(36), primary_key=True)
    table: Mapped[str] = mapped_column("table_name", String(40))
    joined: Mapped[bool] = mapped_column(Boolean)


class SignedDay(Base):
    """A day of a job signed off: `content` is the copy that was frozen, canonical JSON; its hash is in the line `book_id`."""

    __tablename__ = "signed_day"
    id: Mapped[str] = _key()
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"), index=True)
    day: Mapped[str] = mapped_column(String(10))
    who: Mapped[str] = mapped_column(String(80))
    words: Mapped[str] = mapped_column(Text)
    content: Mapped[str] = mapped_column(Text)
    book_id: Mapped[str] = mapped_column(ForeignKey("book.id"), unique=True)
    created_s: Mapped[float] = mapped_column(Float)


class RequestKey(Base):
    """The key of a request that was stored: sent twice, it is done once."""

    __tablename__ = "request_key"
    key: Mapped[str] = mapped_column(String(80), primary_key=True)


class ImportedFile(Base):
    """A control list as it was accepted, byte for byte."""

    __tablename__ = "imported_file"
    id: Mapped[str] = _key()
    job_id: Mapped[str] = mapped_column(ForeignKey("job.id"))
    name: Mapped[str] = mapped_column(String(200))
    content: Mapped[bytes] = mapped_column(LargeBinary)
    created_s: Mapped[float] = mapped_column(Float)
