"""A job with as many shots and base set-ups as is wished: rows of the store as a season of work leaves them, all invented.

Written straight into the tables, for tests that count queries, for measurements, and for the data folder of 0.3.0.
"""

import numpy as np
from sqlalchemy import insert, select

from openstake.core.base_settled import Settled
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.geodesy.frames import FrameDefinition, job_frame
from openstake.core.vector import raised_along_normal
from openstake.store.book import write_entry
from openstake.store.models import (
    BaseCoordinate,
    HeightReading,
    JobSettings,
    Listening,
    Mark,
    Occupation,
    OccupationEnd,
    PointLabel,
    Reference,
    SetUp,
    Shot,
    ShotEpoch,
    new_id,
)

START_S = 1_795_600_000.0
ROD_M = 2.0
REFUSED = "tcp://127.0.0.1:1"  # nothing listens there


def angle_text(degrees, letters, whole):
    """Return an angle as GGA has it, ddmm.mmmmmmm and its letter."""
    letter, degrees = letters[int(degrees < 0)], float(abs(degrees))
    return f"{int(degrees):0{whole}d}{(degrees % 1.0) * 60.0:010.7f},{letter}"


class Filling:
    """Fills one job, in grid metres of EPSG:2157, on the marks it has."""

    def __init__(self, session, job_id, seed=3):
        self.session, self.job_id, self.random = session, job_id, np.random.default_rng(seed)
        replaced = select(Mark.replaces_id).where(Mark.replaces_id.is_not(None))
        query = select(Mark).where(Mark.job_id == job_id, Mark.id.not_in(replaced)).order_by(Mark.name)
        self.marks = list(session.scalars(query))
        settings = session.scalars(select(JobSettings).where(JobSettings.job_id == job_id)).first()
        self.frame = job_frame(FrameDefinition(system=settings.frame.system))
        self.now, self.settings_id, self.labels = START_S, settings.id, 0

    def xyz(self, mark):
        return self.frame.ecef_from_grid(mark.east_m, mark.north_m, mark.height_m)

    def add(self, row):
        self.now += 1.0
        row.created_s = self.now
        self.session.add(row)
        self.session.flush()
        return row

    def reading(self, metres, subject="rover", **more):
        made = {
            "text": f"{metres:.3f} m",
            "method": "rod" if subject == "rover" else "vertical",
            "feature": "bottom",
            "feature_label": "Bottom of mount (ARP), straight up",
            "rim_radius_m": 0.0,
            "feature_to_arp_m": 0.0,
        }
        return self.add(HeightReading(job_id=self.job_id, subject=subject, reading_m=metres, arp_height_m=metres, **(made | more)))

    def base(self, number, mark, source="mark", ends=True, virtual=False, refers_to="arp"):
        """Set a base up, start it and listen: an occupation with two readings and a coordinate."""
        setup = self.add(SetUp(id=(line := new_id()), line_id=line, job_id=self.job_id, data=Settled()))
        started = self.now
        base = Occupation(job_id=self.job_id, mark_id=mark.id, station_id=17, setup_id=setup.id, started_s=started)
        self.session.add(base)
        self.session.flush()
        height_m = 1.5 + 0.001 * number
        for more_m in (0.0, 0.001):
            self.reading(height_m + more_m, "base", setup_id=setup.id, occupation_id=base.id)
        off = {"mark": 0.0}.get(source, 1.5)
        x, y, z = (float(value) for value in self.xyz(mark) + off)
        coordinate = self.add(
            BaseCoordinate(
                occupation_id=base.id,
                x_m=x,
                y_m=y,
                z_m=z,
                source=source,
                detail=f"{source} {mark.name}",
                accuracy_horizontal_95_m=0.012 + off,
                accuracy_vertical_95_m=0.016 + off,
                frame="IRENET95",
                frame_epoch="as the control list",
                evidence_id=mark.id,
            )
        )
        listening = Listening(
            occupation_id=base.id,
            rover_url=REFUSED,
            refers_to=refers_to,
            started_s=self.now,
            arp_to_apc_m=0.0415 if refers_to == "apc" else None,
        )
        self.session.add(listening)
        self.session.flush()
        arp = raised_along_normal(self.xyz(mark), height_m + 0.0005)
        reference = Reference(
            listening_id=listening.id,
            origin="decoded",
            station_id=17,
            x_m=float(arp[0]),
            y_m=float(arp[1]),
            z_m=float(arp[2]),
            antenna_height_m=height_m,
            virtual=virtual,
            heard_s=self.now,
        )
        self.session.add(reference)
        self.session.flush()
        if ends:
            self.session.add(OccupationEnd(occupation_id=base.id, ended_s=self.now + 1e6))
        return base, listening, reference, coordinate

    def shots(
        self,
        base,
        listening,
        reference,
        coordinate,
        count,
        epochs=60,
        off_m=(0.0, 0.0, 0.0),
        as_points=False,
        places=None,
        noise_m=0.006,
        floats=(),
    ):
        """Measure as many shots from a base, on one mark after the other; the rover is off by east, north, up.

        Points stand a metre apart beside the marks, with names and codes, and are checks of nothing.  `places`: where the marks
        are on Earth (Earth-centred metres), in place of what the frame says.  The last epoch of the shots `floats` is one.
        """
        found, rows = [], []
        base_heights = self.session.scalars(
            select(HeightReading.id).where(HeightReading.setup_id == base.setup_id).order_by(HeightReading.created_s)
        ).all()
        for number in range(count):
            mark = self.marks[number % len(self.marks)]
            pole = self.reading(ROD_M)
            above = {"arp": ROD_M, "apc": ROD_M + 0.0415, "mark": 0.0}[listening.refers_to]
            beside_m = float(number) if as_points else 0.0
            place = (
                places[number % len(self.marks)]
                if places is not None
                else self.frame.ecef_from_grid(mark.east_m + off_m[0] + beside_m, mark.north_m + off_m[1], mark.height_m + off_m[2])
            )
            noise = self.random.normal(0.0, noise_m, (epochs, 3))
            latitude, longitude, height = geodetic_from_ecef(raised_along_normal(place, above) + noise).T
            shot = self.add(
                Shot(
                    job_id=self.job_id,
                    listening_id=listening.id,
                    occupation_id=base.id,
                    mark_id=None if as_points else mark.id,
                    kind="topo" if as_points else "check",
                    name=mark.name,
                    height_reading_id=pole.id,
                    reference_id=reference.id,
                    refers_to=listening.refers_to,
                    arp_to_apc_m=listening.arp_to_apc_m,
                    seconds=float(epochs),
                    fixed_only=True,
                    tolerance_horizontal_m=None if as_points else 0.02,
                    tolerance_vertical_m=None if as_points else 0.03,
                    initialised_s=self.now // 900.0,
                    covariance_origin="receiver-claim",
                    sigma_east_m=0.006,
                    sigma_north_m=0.005,
                    sigma_up_m=0.011,
                    effective_n=9.5,
                    frame=coordinate.frame,
                    frame_epoch=coordinate.frame_epoch,
                    started_s=self.now,
                    rests_on=(self.settings_id, *(() if as_points else (mark.id,)), coordinate.id, *base_heights, pole.id, reference.id),
                )
            )
            if as_points:
                self.labels += 1
                code = ("GL", "EB", "FL")[self.labels % 3]
                self.add(PointLabel(shot_id=shot.id, job_id=self.job_id, name=f"P{self.labels}", code=code))
            rows += [
                {
                    "shot_id": shot.id,
                    "n": n,
                    "time_of_day_s": 3600.0 + n,
                    "date": "2026-11-25",
                    "host_s": self.now + n,
                    "quality": 5 if number in floats and n == epochs - 1 else 4,
                    "latitude_text": angle_text(latitude[n], "NS", 2),
                    "longitude_text": angle_text(longitude[n], "EW", 3),
                    "altitude_m": round(float(height[n]) - 56.9, 4),
                    "separation_m": 56.9,
                    "satellites": 21,
                    "hdop": 0.7,
                    "age_s": 1.0,
                    "station_id": 17,
                    "sigma_east_m": 0.006,
                    "sigma_north_m": 0.005,
                    "sigma_up_m": 0.011,
                    "reference_id": reference.id,
                    "pdop": 1.4,
                    "vdop": 1.2,
                }
                for n in range(epochs)
            ]
            write_entry(
                self.session,
                self.now,
                "check",
                f"Check on {mark.name}, {epochs} epochs.",
                self.job_id,
                shot=shot.id,
                mark=mark.id,
                rover_height=pole.id,
                base_height=list(base_heights),
                base_coordinate=coordinate.id,
                reference=reference.id,
                east_m=0.0,
                north_m=0.0,
                up_m=0.0,
                findings=[],
            )
            found.append(shot)
        self.session.execute(insert(ShotEpoch), rows)
        return found


def fill(session, job_id, shots, setups, epochs=60, points=0):
    """Fill a job: its set-ups share its shots and its points evenly, the last one still runs."""
    filling = Filling(session, job_id)
    for number in range(setups):
        mark = filling.marks[number % 3]
        made = filling.base(number, mark, ends=number < setups - 1)
        each = shots // setups + (number < shots % setups)
        if each:
            filling.shots(*made, each, epochs)
        if measured := points // setups + (number < points % setups):
            filling.shots(*made, measured, epochs, as_points=True)
    return filling
