"""Histories of two to four crews, of any length and in any order: the same rows make the same heads, disputes and bytes.

Held against a model that knows nothing of tables: a row is its id, its time and what it replaced; ends are the rows that nobody
replaced; of several the one written last is used (a grow-only set, as in Shapiro et al., Conflict-free Replicated Data Types, 2011).
"""

import io
import itertools
import sqlite3
import zipfile

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import create_engine, event, select
from sqlalchemy.orm import Session
from sqlalchemy.pool import StaticPool

from openstake.core.check_plan import CheckSettings
from openstake.core.geodesy.frames import FrameDefinition
from openstake.store import package
from openstake.store import unpack as unpack_of
from openstake.store.book import write_entry
from openstake.store.conflicts import PLAIN, said_in
from openstake.store.database import Database
from openstake.store.models import CheckSettingsRow, Job, JobSettings, Mark, Occupation, Rival, new_id
from openstake.store.package import MANIFEST, Opened, pack
from openstake.store.records import lines
from openstake.store.unpack import unpack
from tests.repeats import PART, repeats

STATEMENTS = create_engine("sqlite://")  # whose dialect and cache all places share: the statements are the same in each
LINES = ("M0", "M1", "settings")
HELD = ("gear", "job", "job_settings", "mark", "check_settings", "occupation", "book")


def quiet(done, of):
    pass


@pytest.fixture(scope="module", autouse=True)
def few_tables():
    """Packages of the tables that these histories fill: the others are empty, and would take nine tenths of the time."""
    held = {name: table for name, table in package.tables().items() if name in HELD}
    with pytest.MonkeyPatch.context() as patch:
        for module in (package, unpack_of):
            patch.setattr(module, "tables", lambda: held)
        yield


@pytest.fixture(scope="module")
def empty(tmp_path_factory):
    """An empty database, read once: copied into memory for each crew."""
    folder = tmp_path_factory.mktemp("empty")
    Database.in_folder(folder).close()
    return sqlite3.connect(folder / "openstake.db"), folder


class Place:
    """One installation: a database in memory, and what the model says its people have written or been given."""

    def __init__(self, empty):
        source, self.folder = empty
        raw = self.raw = sqlite3.connect(":memory:", check_same_thread=False)
        source.backup(raw)
        engine = create_engine("sqlite://", creator=lambda: raw, poolclass=StaticPool)
        event.listen(engine, "connect", lambda connection, _: setattr(connection, "isolation_level", None))
        event.listen(engine, "begin", lambda connection: connection.exec_driver_sql("BEGIN"))
        engine.dialect, engine._compiled_cache = STATEMENTS.dialect, STATEMENTS._compiled_cache
        self.sessions = lambda: Session(engine, expire_on_commit=False)
        raw.execute("PRAGMA foreign_keys = ON")
        self.known = set()

    def do(self, work):
        with self.sessions() as session:
            result = work(session)
            session.commit()
            return result

    def package(self, job):
        out = self.folder / f"{new_id()}.zip"
        with self.sessions() as session:
            pack(session, self.folder, job, "Job", out, 9e8, quiet)
        content = out.read_bytes()
        out.unlink()
        return content, set(self.known)

    def take(self, packed):
        content, known = packed
        with Opened(io.BytesIO(content)) as opened:
            made = self.do(lambda session: unpack(session, opened, self.folder, quiet))
        self.known |= known
        return made

    def close(self):
        self.raw.close()


class World:
    """All rows that anybody wrote, as the model has them."""

    def __init__(self, empty, crews, skews):
        self.empty, self.skews = empty, skews
        self.rows = {}  # id: (line, time, what it replaced)
        self.clock = itertools.count(1000)
        self.opened = []
        first = self.place()
        self.job = first.do(self._begin)
        first.known = {row_id for row_id, (line, _, _) in self.rows.items()}
        start = first.package(self.job)
        self.packages = [start]
        self.crews = [first]
        for _ in range(crews - 1):
            self.crews.append(self.place())
            self.crews[-1].take(start)

    def place(self):
        self.opened.append(Place(self.empty))
        return self.opened[-1]

    def _begin(self, session):
        job = Job(created_s=1.0)
        session.add(job)
        session.flush()
        session.add(JobSettings(job_id=job.id, name="Job", length_unit="m", frame=FrameDefinition(system="local"), created_s=1.0))
        for name in LINES[:2]:
            mark = self._mark(job.id, name, 0.0, 1.0, None)
            session.add(mark)
            self.rows[mark.id] = (name, 1.0, frozenset())
        write_entry(session, 1.0, "note", "begun", job.id)
        return job.id

    @staticmethod
    def _mark(job_id, name, east_m, created_s, replaces_id):
        return Mark(
            id=new_id(),
            job_id=job_id,
            name=name,
            east_m=east_m,
            north_m=0.0,
            sigma_horizontal_m=0.005,
            sigma_vertical_m=0.008,
            source="list",
            replaces_id=replaces_id,
            created_s=created_s,
        )

    def ends(self, known, line):
        mine = {row_id for row_id in known if self.rows[row_id][0] == line}
        return mine - {parent for row_id in mine for parent in self.rows[row_id][2]}

    def in_force(self, known, line):
        return max(self.ends(known, line), key=lambda row_id: (self.rows[row_id][1], row_id), default=None)

    def correct(self, crew, line):
        """A person of a crew replaces what holds there."""
        place, tick = self.crews[crew], next(self.clock)
        at_s = float(tick + self.skews[crew])

        def work(session):
            if line == "settings":
                present = session.scalars(lines.heads(CheckSettingsRow)).all()
                before = present[0].id if present else None
                row = CheckSettingsRow(
                    id=new_id(), job_id=self.job, data=CheckSettings(near=f"N{tick}"), replaces_id=before, created_s=at_s
                )
            else:
                present = session.scalars(lines.heads(Mark, Mark.name == line)).all()
                row = self._mark(self.job, line, float(tick), at_s, present[0].id)
            assert len(present) == 1 or line == "settings"
            session.add(row)
            return row.id

        self.rows[row_id] = (line, at_s, frozenset(self.ends(place.known, line))) if (row_id := place.do(work)) else None
        place.known.add(row_id)

    def measure(self, crew, line):
        """A row of another table names what holds: it travels, whatever comes of the dispute."""

        def work(session):
            mark = session.scalars(lines.heads(Mark, Mark.name == line)).one()
            session.add(Occupation(job_id=self.job, mark_id=mark.id, station_id=1, started_s=float(next(self.clock))))

        self.crews[crew].do(work)

    def give(self, giver, taker):
        self.packages.append(self.crews[giver].package(self.job))
        self.crews[taker].take(self.packages[-1])

    def check(self, place):
        """What a place shows is what the model says."""
        with place.sessions() as session:
            for line in LINES:
                model = CheckSettingsRow if line == "settings" else Mark
                wanted = () if line == "settings" else (Mark.name == line,)
                heads = session.scalars(lines.heads(model, *wanted)).all()
                assert len(heads) <= 1, f"one row holds of {line}"
                expected = self.in_force(place.known, line)
                assert bool(heads) == (expected is not None)
                if heads:
                    value = session.get(model, expected)
                    assert lines.value_of(heads[0]) == lines.value_of(value)
                assert self.disputes_of(session, model, heads) == (ends if len(ends := self.ends(place.known, line)) > 1 else set())
            people = set(session.scalars(select(Mark.id))) | set(session.scalars(select(CheckSettingsRow.id)))
            assert people - joined_rows(session) == place.known

    @staticmethod
    def disputes_of(session, model, heads):
        said = said_in(session).get(model.__tablename__, PLAIN)
        return {end for head in heads for end in said.joined.get(head.id, ())}

    def close(self):
        for place in self.opened:
            place.close()


def joined_rows(session):
    return set(session.scalars(select(Rival.row_id).where(Rival.joined)))


def members(content):
    with zipfile.ZipFile(io.BytesIO(content)) as archive:
        # Whoever unpacks writes so into his own chain.
        return {name: archive.read(name) for name in archive.namelist() if name not in (MANIFEST, "tables/sealed_line.jsonl")}


SOME = st.lists(st.integers(0, 20), max_size=3)
CREWS = st.integers(2, 4)
CREW = st.integers(0, 3)
ACTS = st.one_of(
    st.tuples(st.just("correct"), CREW, st.sampled_from(LINES)),
    st.tuples(st.just("correct"), CREW, st.just("M0")),
    st.tuples(st.just("measure"), CREW, st.sampled_from(LINES[:2])),
    st.tuples(st.just("give"), CREW, CREW),
)


def played(empty, crews, skews, acts):
    world = World(empty, crews, skews)
    for kind, one, other in acts:
        one %= crews
        if kind == "give":
            if one != other % crews:
                world.give(one, other % crews)
        else:
            getattr(world, kind)(one, other)
    return world


@pytest.mark.slow
@settings(max_examples=2000 if PART > 1 else repeats(100, 10), deadline=None, suppress_health_check=list(HealthCheck))
@given(
    crews=CREWS, skews=st.lists(st.integers(-30, 30), min_size=4, max_size=4), acts=st.lists(ACTS, min_size=1, max_size=12), data=st.data()
)
def test_the_same_rows_make_the_same_heads_disputes_and_bytes(empty, crews, skews, acts, data):
    world = played(empty, crews, skews, acts)
    try:
        for crew in world.crews:
            world.check(crew)
        finals = [crew.package(world.job) for crew in world.crews]
        # Joined in any order, with ancestors between, once or twice.
        offices = []
        for _ in range(2):
            handed = finals + [world.packages[n % len(world.packages)] for n in data.draw(SOME)]
            office = world.place()
            for n in data.draw(st.permutations(range(len(handed)))):
                office.take(handed[n])
            world.check(office)
            offices.append(office)
        one, other = (office.package(world.job) for office in offices)
        assert members(one[0]) == members(other[0])
        # Repacked, and joined by those who knew a part.
        third = world.place()
        assert third.take(one).rows > 0
        world.check(third)
        assert members(third.package(world.job)[0]) == members(one[0])
        for crew in world.crews[-1:]:
            crew.take(one)
            world.check(crew)
            assert members(crew.package(world.job)[0]) == members(one[0])
            assert crew.take(world.packages[-1]).rows == 0, "an ancestor brings nothing"
            world.check(crew)
    finally:
        world.close()


def test_one_who_corrects_once_and_last_and_one_who_did_three_times_before(empty):
    """The case that was found: the office joined them and packed, and who unpacked that had no dispute, and the other value."""
    world = played(empty, 2, [0, 0, 0, 0], [("correct", 0, "M0")] * 3 + [("correct", 1, "M0"), ("give", 0, 1)])
    third = world.place()
    third.take(world.crews[1].package(world.job))
    world.check(third)
    assert len(world.ends(third.known, "M0")) == 2
    world.close()
