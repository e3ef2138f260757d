"""Packages: a job whole on another machine, two crews' packages joined, and what is no package refused with a sentence."""

import gzip
import hashlib
import io
import itertools
import json
import random
import shutil
import stat
import zipfile
from pathlib import Path

import jsonschema
import pytest
from sqlalchemy import select

from openstake.app import build
from openstake.core.check_plan import CheckSettings
from openstake.core.errors import FileError
from openstake.core.judge.bench import BenchRecord
from openstake.store import rowdoor
from openstake.store.book import verify
from openstake.store.models import Base, BenchTest, BookEntry, CheckSettingsRow, Listening, Mark, Occupation, new_id
from openstake.store.package import MANIFEST, schema, tables
from openstake.workflow.packages import read_package, write_package
from tests.conftest import Crew, as_file
from tests.filled import Filling
from tests.pictures import picture
from tests.store.test_store import broken

SCHEMA = Path(__file__).parents[2] / "docs" / "package.schema.json"
ALDER = "Alder Ford Footbridge"
OLD = Path(__file__).parents[1] / "data" / "packages"
PNG = picture()


@pytest.fixture
def places(demo_folder, tmp_path):
    """Makes programs without stand-ins: on a copy of the demo, or on an empty folder."""
    opened = []

    def place(name, demo=False):
        if demo:
            shutil.copytree(demo_folder, tmp_path / name)
        program = build(tmp_path / name, practice=False, demo=demo, web_dir=None)
        opened.append(program)
        return Crew(program)

    yield place
    for program in opened:
        program.close()


def packed(crew, job, out):
    write_package(crew.program.context, job, out)
    return out


def unpacked(crew, source):
    return read_package(crew.program.context, source)


def members(path):
    """What a package holds, apart from when it was made."""
    with zipfile.ZipFile(path) as archive:
        found = {name: archive.read(name) for name in archive.namelist()}
    document = json.loads(found.pop(MANIFEST))
    return found, {key: value for key, value in document.items() if key != "made_s"}


def rows(path, table):
    with zipfile.ZipFile(path) as archive:
        return [json.loads(line) for line in archive.read(f"tables/{table}.jsonl").splitlines()]


def test_a_job_is_the_same_on_another_machine(places, tmp_path):
    here, there = places("here", demo=True), places("there")
    job = here.job("Alder Ford Footbridge")
    here.upload(f"/jobs/{job}/book/photo", PNG, name="ford.png")
    session_id = rows(packed(here, job, tmp_path / "before.zip"), "listening")[0]["id"]
    raw = here.program.context.data_dir / "raw" / f"{session_id}-base-001.raw"
    raw.parent.mkdir(exist_ok=True)
    raw.write_bytes(b"\xd3 some bytes as they came")
    first = packed(here, job, tmp_path / "first.zip")

    made = unpacked(there, first)

    assert not made.known and made.files == 2
    assert members(packed(there, job, tmp_path / "second.zip")) == members(first), "what comes out is what went in"
    for path in ("steps", "chain", "points", "checks", "marks", "book/days", "fit"):
        one, other = (crew.get(f"/jobs/{job}/{path}") for crew in (here, there))
        for view in (one, other):
            view.pop("findings", None), view.pop("stops", None)
            if path == "steps":  # what is heard now is of the machine that hears it
                view["steps"], view["links"] = (
                    [item for item in view[key] if item.get("step", "") in ("job", "fit")] for key in ("steps", "links")
                )
            if path == "chain":
                for key in ("links", "weakest", "next", "budget"):
                    view.pop(key)
        assert one == other, path
    assert there.file(f"/jobs/{job}/points.csv") == here.file(f"/jobs/{job}/points.csv")
    lines = [[line["sentence"] for line in crew.get(f"/jobs/{job}/book")["lines"]] for crew in (here, there)]
    assert lines[0] == lines[1]
    assert "nothing new" in unpacked(there, first).words


def test_lines_of_other_clients_jobs_travel_as_their_links_alone(places, tmp_path):
    here, there = places("here", demo=True), places("there")
    job = here.job("Nettle Brook Culvert")
    secret = here.job("Carrow Sluice")
    here.post(f"/jobs/{secret}/book/notes", {"words": "the other client's affairs"})

    made = packed(here, job, tmp_path / "package.zip")

    with zipfile.ZipFile(made) as archive:
        assert all(b"affairs" not in archive.read(name) and b"Carrow" not in archive.read(name) for name in archive.namelist())
    unpacked(there, made)
    with there.program.context.database.read() as session:
        whole, of_job = verify(session), verify(session, job)
        assert whole.whole and of_job.whole and whole.sealed > 0
    with here.program.context.database.read() as session:
        assert verify(session, job).entries == of_job.entries
    there.program.close()
    for statement, why in (
        ("UPDATE sealed_line SET hash = previous_hash WHERE sequence = (SELECT min(sequence) FROM sealed_line)", "a link"),
        ("UPDATE book SET text = replace(text, 'e', 'o') WHERE job_id IS NOT NULL", "a line"),
    ):
        copy = tmp_path / why
        shutil.copytree(tmp_path / "there", copy)
        broken(copy, statement)
        tampered = build(copy, practice=False, demo=False, web_dir=None)
        with tampered.context.database.read() as session:
            assert not verify(session, job).whole, why
        tampered.close()


def test_a_line_that_came_with_its_text_cannot_be_sealed_behind_the_program(places, tmp_path):
    here, there = places("here", demo=True), places("there")
    job = here.job("Nettle Brook Culvert")
    unpacked(there, packed(here, job, tmp_path / "package.zip"))
    there.program.close()
    line = f"job_id = '{job}'"
    broken(tmp_path / "there", f"INSERT INTO sealed_line SELECT device_id, sequence, previous_hash, hash FROM book WHERE {line}")
    broken(tmp_path / "there", f"DELETE FROM book WHERE {line}")

    program = build(tmp_path / "there", practice=False, demo=False, web_dir=None)
    with program.context.database.read() as session:
        assert not verify(session).whole
    program.close()


def changed(crew, job, name, east, reason):
    mark = next(item for item in crew.get(f"/jobs/{job}/marks")["marks"] if item["name"] == name)
    values = {
        "name": name,
        "north_m": mark["typed"]["north_m"],
        "east_m": east,
        "height_kind": mark["height_kind"],
        "source": mark["source"],
    }
    values |= {"height_m": mark["typed"]["height_m"]} if mark["height_kind"] else {}
    crew.post(f"/jobs/{job}/marks/{mark['id']}", {"values": values, "reason": reason})


def east_of(crew, job, name):
    return next(item["east_m"] for item in crew.get(f"/jobs/{job}/marks")["marks"] if item["name"] == name)


@pytest.fixture
def three_crews(places, tmp_path):
    """One job on three machines: each corrects CS2, the second twice, the third CS3 as well; each writes a note."""
    office = places("office", demo=True)
    job = office.job()
    start = packed(office, job, tmp_path / "start.zip")
    packages = []
    for n, corrections in enumerate(
        ((("CS2", "703478.950"),), (("CS2", "703478.960"), ("CS2", "703478.970")), (("CS2", "703478.980"), ("CS3", "703655.300")))
    ):
        crew = places(f"crew{n}")
        unpacked(crew, start)
        for name, east in corrections:
            changed(crew, job, name, east, f"crew {n} measured it")
        crew.post(f"/jobs/{job}/book/notes", {"words": f"crew {n} was here"})
        packages.append(packed(crew, job, tmp_path / f"crew{n}.zip"))
    return job, packages


def test_a_dispute_over_a_rover_height_names_the_point(places, tmp_path):
    office = places("office", demo=True)
    job = office.job()

    def work(session):
        filling = Filling(session, job)
        filling.shots(*filling.base(0, filling.marks[0]), 3, 6, as_points=True)

    office.program.context.database.write(work)
    start = packed(office, job, tmp_path / "start.zip")
    for name, reading in (("one", "1.950 m"), ("two", "1.900 m")):
        crew = places(name)
        unpacked(crew, start)
        point = next(item for item in crew.get(f"/jobs/{job}/points")["points"] if item["name"] == "P2")
        path = f"/jobs/{job}/shots/{point['id']}/height"
        height = crew.get(path)["readings"][0]
        wish = {"replaces_id": height["id"], "reading": reading, "feature": "pole", "reason": "the clamp had slipped"}
        crew.post(path, wish)
        unpacked(office, packed(crew, job, tmp_path / f"{name}.zip"))

    (differs,) = office.get(f"/jobs/{job}/crews")["differ"]

    assert differs["what"] == "Rover height of P2"
    assert differs["finding"]["sentence"].startswith("Rover height of P2: one crew has 1.")


@pytest.mark.slow
def test_packages_of_crews_merge_alike_in_every_order(places, three_crews, tmp_path):
    job, packages = three_crews
    found = []
    for order in itertools.permutations(range(3)):
        office = places(f"office{order}")
        for n in order:
            unpacked(office, packages[n])
        out = packed(office, job, tmp_path / f"{order}.zip")
        values = {name: east_of(office, job, name) for name in ("CS2", "CS3")}
        found.append((members(out), values, [item["values"] for item in office.get(f"/jobs/{job}/crews")["differ"]]))
        with office.program.context.database.read() as session:
            assert verify(session).whole

    assert all(item == found[0] for item in found)
    _, values, differ = found[0]
    assert [value["words"] for value in differ[0]] == ["east 703478.980 m", "east 703478.970 m", "east 703478.950 m"]
    assert values == {"CS2": 703478.980, "CS3": 703655.300}, "what was written last is used; what one crew alone changed is changed"


def test_what_two_crews_replaced_disagrees_until_it_is_settled(places, three_crews, tmp_path):
    job, packages = three_crews
    office = places("settling")
    for source in packages[:2]:
        made = unpacked(office, source)
    assert made.disputes == 1 and "settle" in made.words
    shown = {item["code"] for item in office.get(f"/jobs/{job}/steps")["findings"]}
    assert "crews-differ-mark" in shown
    steps = {item["step"]: item["state"] for item in office.get(f"/jobs/{job}/steps")["steps"]}
    assert steps["book"] == "disagrees"
    differs = office.get(f"/jobs/{job}/crews")["differ"][0]
    holds = next(value for value in differs["values"] if "478.950" in value["words"])

    settled = {"id": differs["id"], "value_id": holds["id"], "who": "A. Moss", "reason": "taped again"}
    assert "who" in office.post(f"/jobs/{job}/crews/settle", settled | {"who": " "}, status=422)["detail"]
    office.post(f"/jobs/{job}/crews/settle", settled)

    assert office.get(f"/jobs/{job}/crews")["differ"] == [] and east_of(office, job, "CS2") == 703478.950
    office.post(f"/jobs/{job}/crews/settle", settled, status=409)
    assert "nothing new" in unpacked(office, packages[0]).words, "an old package unsettles nothing"
    # The settled job goes back to a crew that knew one side alone, and to one that comes new.
    back = packed(office, job, tmp_path / "settled.zip")
    for name, before in (("again", packages[0]), ("new", None)):
        crew = places(name)
        if before:
            unpacked(crew, before)
        unpacked(crew, back)
        assert crew.get(f"/jobs/{job}/crews")["differ"] == [] and east_of(crew, job, "CS2") == 703478.950
        assert members(packed(crew, job, tmp_path / f"{name}.zip")) == members(back)
    # A third crew, who did not know of it, opens it again.
    unpacked(office, packages[2])
    assert len(office.get(f"/jobs/{job}/crews")["differ"]) == 1


@pytest.mark.parametrize("version", ["0.11.0", "0.13.0"])
def test_a_package_that_an_office_joined_with_an_older_version_still_disagrees(places, tmp_path, version):
    """The office of that version saw AF1 disagree (one crew's 514646.784 in use) and had settled AF2 on 514712.630."""
    there, job = places("there"), None
    made = unpacked(there, OLD / f"merged-{version}.zip")
    job = made.job
    assert made.disputes == 1 and f"Made by {version}" in made.words

    def seen(crew):
        (differs,) = crew.get(f"/jobs/{job}/crews")["differ"]
        return (differs["what"], [value["words"] for value in differs["values"]], *(east_of(crew, job, name) for name in ("AF1", "AF2")))

    expected = ("Mark AF1", ["east 514646.784 m", "east 514646.584 m"], 514646.784, 514712.630)
    assert seen(there) == expected
    out, again = packed(there, job, tmp_path / "again.zip"), places("again")
    unpacked(again, out)
    assert seen(again) == expected and members(packed(again, job, tmp_path / "third.zip")) == members(out)
    # Nothing is said any more once a package with hashes has brought the same rows; the old one alone says so again.
    assert not unproven(again, job) and unproven(there, job) == [
        f"This job came with a package of {version}, which put no hash over its rows."
    ]
    assert "nothing new" in unpacked(again, OLD / f"merged-{version}.zip").words
    unpacked(there, out)
    assert not unproven(there, job)


def unproven(crew, job):
    return [item["sentence"] for item in crew.get(f"/jobs/{job}/steps")["findings"] if item["code"] == "package-unproven"]


def test_a_folder_in_which_an_older_version_lost_a_dispute_has_it_again(places, tmp_path):
    """What 0.13.0 made of its own office's package: no dispute, and AF1 half a metre and more from what the office used."""
    (tmp_path / "lost").mkdir()
    (tmp_path / "lost" / "openstake.db").write_bytes(gzip.decompress((OLD / "unpacked-0.13.0.db.gz").read_bytes()))
    crew = places("lost")
    job = crew.job("Alder Ford Footbridge")
    (differs,) = crew.get(f"/jobs/{job}/crews")["differ"]
    assert differs["what"] == "Mark AF1" and east_of(crew, job, "AF1") == 514646.784
    assert "nothing new" in unpacked(crew, OLD / "merged-0.13.0.zip").words


def test_two_crews_first_settings_of_a_job_disagree(places, tmp_path):
    office = places("office", demo=True)
    job = office.job("Nettle Brook Culvert")
    start, sent = packed(office, job, tmp_path / "start.zip"), []
    for n, power in enumerate((2.0, 4.0)):
        crew = places(f"crew{n}")
        unpacked(crew, start)
        data = CheckSettings(come_back_min=power * 10)
        row = CheckSettingsRow(job_id=job, data=data, replaces_id=None, created_s=2e9 + n)
        crew.program.context.database.write(lambda session, row=row: session.add(row))
        sent.append(packed(crew, job, tmp_path / f"crew{n}.zip"))
    orders = []
    for order in ((0, 1), (1, 0)):
        office = places(f"office{order}")
        for n in order:
            unpacked(office, sent[n])
        (differs,) = office.get(f"/jobs/{job}/crews")["differ"]
        orders.append(
            (differs["table"], [value["id"] for value in differs["values"]], members(packed(office, job, tmp_path / f"{order}.zip")))
        )
    assert orders[0] == orders[1] and orders[0][0] == "check_settings"


def test_gear_with_a_name_outside_ascii_travels_when_a_set_up_alone_names_it(places, tmp_path):
    here = places("here", demo=True)
    job = here.job("Nettle Brook Culvert")
    gear = next(item for item in here.get("/gear")["items"] if item["kind"] == "antenna")
    here.post("/gear", {"kind": "antenna", "values": gear["data"] | {"name": "Bärenkopf Ø"}})

    record = BenchRecord(
        base="Bärenkopf Ø",
        rover="",
        tape="1.800 m",
        taped_m=1.8,
        measured_m=None,
        scatter_m=None,
        epochs=0,
        fix_after_s=None,
        agrees=False,
        findings=[],
    )

    def work(session):
        session.add(BenchTest(job_id=job, data=record, created_s=1.0))

    here.program.context.database.write(work)
    made = packed(here, job, tmp_path / "package.zip")
    assert "Bärenkopf Ø" in {row["name"] for row in rows(made, "gear")}


def test_a_base_that_another_machine_runs_is_not_listened_to_here(places, tmp_path):
    here, there = places("here", demo=True), places("there")
    job = here.job("Alder Ford Footbridge")
    unpacked(there, packed(here, job, tmp_path / "package.zip"))
    there.program.close()

    again = Crew(build(tmp_path / "there", practice=False, demo=False, web_dir=None))
    assert again.program.context.running.occupations == []
    assert here.program.context.running.occupations != []
    again.program.close()


def test_files_travel_with_their_job_and_a_stream_that_grew_takes_the_place_of_its_beginning(places, tmp_path):
    here, there = places("here", demo=True), places("there")
    job = here.job("Alder Ford Footbridge")
    with here.program.context.database.read() as session:
        listening = session.scalars(select(Listening).join(Occupation).where(Occupation.job_id == job)).first().id
    heard = random.Random(25).randbytes(3_000_000)
    raw, other = Path("raw") / f"{listening}-rover-077.raw", Path("raw") / f"{new_id()}-rover-001.raw"
    folders = {name: crew.program.context.data_dir for name, crew in {"here": here, "there": there}.items()}
    (folders["here"] / raw).write_bytes(heard)
    (folders["here"] / other).write_bytes(b"of another job")
    photo = here.upload(f"/jobs/{job}/book/photo", PNG, name="ford.png")

    told = []
    write_package(here.program.context, job, tmp_path / "first.zip", lambda *step: told.append(step))
    assert told[0][0] == 0 and told[-1][0] == told[-1][1] and told == sorted(told), "from nothing to all, and never back"
    assert len(set(told)) > 10 and {of for _, of in told} == {told[0][1]}
    inside = set(members(tmp_path / "first.zip")[0])
    assert f"files/{raw.as_posix()}" in inside and f"files/{other.as_posix()}" not in inside
    assert any(name.startswith("files/photos/") for name in inside) and photo

    told.clear()
    made = read_package(there.program.context, tmp_path / "first.zip", lambda *step: told.append(step))
    assert len(told) > 5 and told[-1][0] >= told[0][0]
    assert made.files >= 2 and (folders["there"] / raw).read_bytes() == heard

    with (folders["here"] / raw).open("ab") as stream:
        stream.write(b"and more")
    grown = packed(here, job, tmp_path / "second.zip")
    assert unpacked(there, grown).files == 1
    assert (folders["there"] / raw).read_bytes() == heard + b"and more"
    # The older package again: what is there is longer, and stays.
    assert unpacked(there, tmp_path / "first.zip").files == 0
    assert (folders["there"] / raw).read_bytes().endswith(b"and more")

    (folders["here"] / raw).write_bytes(bytes(reversed(heard)) + b"!")
    with pytest.raises(FileError, match="is another file here"):
        unpacked(there, packed(here, job, tmp_path / "third.zip"))
    assert (folders["there"] / raw).read_bytes().endswith(b"and more")
    assert not list(folders["there"].glob("*.draft"))


def test_the_published_schema_is_that_of_a_package(places, tmp_path):
    published = json.loads(SCHEMA.read_text())
    assert published == schema(), "run `make schema`"
    jsonschema.Draft202012Validator.check_schema(published)
    here = places("here", demo=True)
    made = packed(here, here.job("Alder Ford Footbridge"), tmp_path / "package.zip")
    with zipfile.ZipFile(made) as archive:
        jsonschema.validate(json.loads(archive.read(MANIFEST)), published)
        for name in archive.namelist():
            if name.startswith("tables/"):
                of_table = {"$defs": published["$defs"], "$ref": f"#/$defs/{Path(name).stem}"}
                check = jsonschema.Draft202012Validator(of_table)
                for line in archive.read(name).splitlines():
                    check.validate(json.loads(line))


def test_gear_of_one_name_on_two_machines_is_said_and_the_newer_one_used(places, tmp_path):
    here, there = places("here", demo=True), places("there")
    job = here.job("Alder Ford Footbridge")
    heron = next(item for item in here.get("/gear")["items"] if item["name"] == "Heron" and item["kind"] == "receiver")
    there.post("/gear", {"kind": "receiver", "values": heron["data"] | {"serial": "HN-2"}})

    made = unpacked(there, packed(here, job, tmp_path / "package.zip"))

    assert "another receiver Heron" in made.words
    herons = [item for item in there.get("/gear")["items"] if item["name"] == "Heron" and item["kind"] == "receiver"]
    assert [item["data"]["serial"] for item in herons] == ["HN-2"], "typed after the demo's"


def test_a_copy_of_a_data_folder_that_went_on_by_itself_is_refused(places, tmp_path):
    """A restored folder begins a chain of its own; one that was copied by hand writes on with the old one's."""
    here, copy = places("here", demo=True), places("copy", demo=True)
    job = here.job("Alder Ford Footbridge")
    here.post(f"/jobs/{job}/book/notes", {"words": "written here"})
    copy.post(f"/jobs/{job}/book/notes", {"words": "written there"})

    with pytest.raises(FileError, match="goes on in two ways"):
        unpacked(copy, packed(here, job, tmp_path / "package.zip"))


# --- the sky of a job ---

NAVIGATION = Path(__file__).parents[1] / "data" / "rinex" / "mixed-six-hours.rnx.gz"


def with_sky(crew, job):
    """Draw a skyline over a mark of the job, and load a file of elements."""
    mark = crew.get(f"/jobs/{job}/marks")["marks"][0]["id"]
    line = {"mark_id": mark, "azimuths_deg": [200.0, 290.0], "elevations_deg": [35.0, 0.0], "replaces_id": None}
    crew.post(f"/jobs/{job}/sky/skyline", line)
    crew.upload(f"/jobs/{job}/sky/elements", NAVIGATION.read_bytes(), name="mixed.rnx.gz")
    return mark


def test_skylines_and_elements_travel_with_the_job_and_two_crews_lines_are_both_kept(places, tmp_path):
    here, there = places("here", demo=True), places("there")
    job = here.job(ALDER)
    mark = with_sky(here, job)
    unpacked(there, packed(here, job, tmp_path / "one.zip"))
    asked = f"/jobs/{job}/sky?day=2024-01-10&base_mark_id={mark}"
    assert there.get(asked)["shown"]["base"]["skyline"]["elevations_deg"] == [35, 0]
    assert there.get(asked)["shown"]["elements"] == here.get(asked)["shown"]["elements"]
    assert there.get(asked)["shown"]["hours"] == here.get(asked)["shown"]["hours"]
    # Each draws on: two lines replace one, which is told, and both are there.
    for crew, height in ((here, 20.0), (there, 50.0)):
        seen = crew.get(asked)["shown"]["base"]["skyline"]["id"]
        wish = {"mark_id": mark, "azimuths_deg": [200.0], "elevations_deg": [height], "replaces_id": seen}
        crew.post(f"/jobs/{job}/sky/skyline", wish)
    unpacked(here, packed(there, job, tmp_path / "two.zip"))
    assert [item["elevations_deg"] for item in (here.get(asked)["shown"]["base"]["skyline"],)] == [[50]]
    stops = here.get(f"/jobs/{job}/steps")["findings"]
    assert any(item["code"].startswith("crews-differ") for item in stops)


def test_a_package_of_the_form_before_the_sky_opens(sound, places, tmp_path):
    """0.14.0 wrote this form without the tables of skies."""
    young = ("element_file", "heard_ephemeris", "skyline", "sky_check")

    def change(name, content):
        if name in {f"tables/{table}.jsonl" for table in young}:
            return None
        if name != MANIFEST:
            return content
        document = json.loads(content)
        for table in young:
            document["hashes"].pop(table)
            document["tables"].pop(table, None)
        return json.dumps(document).encode()

    source, _, _ = sound
    office = places("office")
    old = rewritten(source, tmp_path / "old.zip", change)
    unpacked(office, old)
    assert office.get(f"/jobs/{office.job(ALDER)}/sky")["shown"]["elements"]["nominal"]


# --- what is no package ---


@pytest.mark.parametrize(
    "table", [*tables().values(), *(Base.metadata.tables[name] for name in ("rival", "sealed_line"))], ids=lambda table: table.name
)
def test_every_number_of_every_table_has_a_range(table):
    """A column without one would be found when somebody's package first holds such a row."""
    assert rowdoor._columns(table) is not None


def rewritten(source, out, change, careful=True):
    """Write a package anew, its members changed by `change(name, content)`: None leaves one out.

    One who is `careful` writes the hashes anew as well.
    """
    with zipfile.ZipFile(source) as old, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as new:
        members = {name: change(name, old.read(name)) for name in old.namelist()}
        if careful and members[MANIFEST]:
            document = json.loads(members[MANIFEST])
            for name in document.get("hashes", ()):
                document["hashes"][name] = hashlib.sha256(members[f"tables/{name}.jsonl"] or b"").hexdigest()
            members[MANIFEST] = json.dumps(document).encode()
        for name, content in members.items():
            if content is not None:
                new.writestr(name, content)
    return out


def in_table(table, edit):
    """Change the first row of a table."""

    def change(name, content):
        if name != f"tables/{table}.jsonl":
            return content
        first, *rest = content.splitlines()
        row = json.loads(first)
        edit(row)
        return b"\n".join([json.dumps(row).encode(), *rest]) + b"\n"

    return change


def in_manifest(**values):
    return lambda name, content: json.dumps(json.loads(content) | values).encode() if name == MANIFEST else content


def beside(name, content, attributes=None):
    def hostile(source, out):
        shutil.copy(source, out)
        with zipfile.ZipFile(out, "a", zipfile.ZIP_DEFLATED) as archive:
            info = zipfile.ZipInfo(name)
            info.compress_type = zipfile.ZIP_DEFLATED
            if attributes is not None:
                info.create_system, info.external_attr = 3, attributes << 16
            archive.writestr(info, content)
        return out

    return hostile


def with_file(source, out, path, content):
    """Add a file that the list of files names."""
    named = {"path": path, "bytes": len(content), "sha256": hashlib.sha256(content).hexdigest()}
    rewritten(source, out, in_manifest(files=[named]))
    return beside(f"files/{path}", content)(shutil.copy(out, out.with_suffix(".copy")), out)


def by(change):
    return lambda source, out: rewritten(source, out, change)


def second(table, other_end=False):
    """Let one first row of a line of a table replace another, which was read at the other end."""

    def change(name, content):
        if name != f"tables/{table}.jsonl":
            return content
        rows = [json.loads(line) for line in content.splitlines()]
        before, row, *_ = (item for item in rows if item["replaces_id"] is None)
        row["replaces_id"] = before["id"]
        if other_end:
            row["subject"] = "base" if before["subject"] == "rover" else "rover"
        return b"".join(json.dumps(item).encode() + b"\n" for item in rows)

    return change


def with_parents(source, out, of, parents):
    """Say of a mark that it replaced others, by their places in the table."""
    ids = [row["id"] for row in rows(source, "mark")]
    said = [{"row_id": ids[of], "said_replaces_id": "" if at is None else ids[at], "table_name": "mark", "joined": False} for at in parents]

    def change(name, content):
        return b"".join(json.dumps(row).encode() + b"\n" for row in said) if name == "tables/rival.jsonl" else content

    return rewritten(source, out, change)


def nameless(source, out):
    """Take the name of a member away in the directory of the ZIP."""
    content = source.read_bytes()
    at = content.rindex(b"tables/tick.jsonl")
    head = content.rindex(b"PK\x01\x02", 0, at)
    cut = content[: head + 28] + b"\0\0" + content[head + 30 : at] + content[at + 17 :]
    end = cut.rindex(b"PK\x05\x06")
    size = int.from_bytes(cut[end + 12 : end + 16], "little") - 17
    out.write_bytes(cut[: end + 12] + size.to_bytes(4, "little") + cut[end + 16 :])
    return out


def twice(source, out, table, **other):
    """Write a row of a table a second time, with other values in it."""

    def change(name, content):
        if name == MANIFEST:
            document = json.loads(content)
            document["tables"][table] += 1
            return json.dumps(document).encode()
        if name != f"tables/{table}.jsonl":
            return content
        first, *rest = content.splitlines()
        row = json.loads(first)
        made = [row | ({"name": "Caf\u00e9"} if other else {}), row | other]
        return b"\n".join([*(json.dumps(item).encode() for item in made), *rest]) + b"\n"

    return rewritten(source, out, change)


STRANGE = "5b0f5a0e-0000-4000-8000-00000000000f"
HOSTILE = {
    "garbage": (lambda source, out: (out.write_bytes(b"GARBAGE" * 99), out)[1], "cannot be read as a ZIP"),
    "cut off": (lambda source, out: (out.write_bytes(source.read_bytes()[:-400]), out)[1], "cannot be read as a ZIP"),
    "another ZIP": (by(lambda name, content: None if name == MANIFEST else content), "holds no package.json"),
    "path traversal": (beside("files/../../evil", b"x"), "outside itself"),
    "a file without a name": (lambda source, out: nameless(source, out), "outside itself"),
    "absolute path": (beside("/etc/evil", b"x"), "outside itself"),
    "backslashes": (beside("files\\..\\evil", b"x"), "outside itself"),
    "symlink": (beside("files/raw/link", b"/etc/passwd", stat.S_IFLNK | 0o777), "holds a link"),
    "bomb": (beside("files/raw/bomb", b"\0" * (40 << 20)), "would grow"),
    "file not named": (beside("files/raw/more.raw", b"x"), "is not what this package holds"),
    "newer form": (by(in_manifest(form=3)), "is of form 3; this version reads forms 1 and 2"),
    "a table changed alone": (
        lambda source, out: rewritten(source, out, in_table("mark", lambda row: row.update(north_m=row["north_m"] + 1.0)), careful=False),
        "tables/mark.jsonl was changed since this package was made",
    ),
    "a table without hash": (
        lambda source, out: rewritten(source, out, in_manifest(hashes={"mark": "0" * 64}), careful=False),
        "lacks the SHA-256 of a table",
    ),
    "form in words": (by(in_manifest(form="1")), "does not say what is in this package"),
    "unknown table": (by(in_manifest(tables={"users": 1})), "not known here: 'users'"),
    "counts differ": (by(in_manifest(tables={"job": 1})), "rows, not the 0"),
    "unknown column": (by(in_table("mark", lambda row: row.update(price=1))), "not as this version has it: price"),
    "missing column": (by(in_table("mark", lambda row: row.pop("name"))), "not as this version has it: name"),
    "wrong kind": (by(in_table("mark", lambda row: row.update(sigma_horizontal_m="much"))), "sigma_horizontal_m is not valid"),
    "not finite": (
        by(in_table("mark", lambda row: row.update(sigma_horizontal_m=float("nan")))),
        "Row 1 of mark holds NaN, which is not a number of JSON",
    ),
    "another job's row": (by(in_table("mark", lambda row: row.update(job_id=STRANGE))), "of another job"),
    "a name of nothing": (by(in_table("job_settings", lambda row: row.update(geoid_id=STRANGE))), "not in this package"),
    "line changed": (by(in_table("book", lambda row: row.update(text=row["text"].replace("e", "o")))), "broken at line"),
    "line moved": (by(in_table("book", lambda row: row.update(previous_hash="0" * 63 + "1"))), "broken at line"),
    "a stream of another job": (lambda source, out: with_file(source, out, "raw/another-base-001.raw", b"x"), "a file of no row"),
    "a photo of another": (lambda source, out: with_file(source, out, "photos/another.png", b"x"), "a file of no row"),
    "a file elsewhere": (lambda source, out: with_file(source, out, "backups/a", b"x"), "holds no file like"),
    "a row in place of none": (by(in_table("mark", lambda row: row.update(replaces_id=STRANGE))), "is not in this package"),
    "a skyline above the zenith": (
        by(in_table("skyline", lambda row: row.update(data="[[10, 95.0]]"))),
        "Row 1 of skyline: data cannot be read",
    ),
    "a skyline of words": (by(in_table("skyline", lambda row: row.update(data='{"hedge": 3}'))), "Row 1 of skyline: data cannot be read"),
    "a skyline from nowhere": (by(in_table("skyline", lambda row: row.update(origin="guessed"))), "origin must be one of: drawn, seen"),
    "a photo that looks nowhere": (by(in_table("skyline", lambda row: row.update(photo="{}"))), "Row 1 of skyline: photo cannot be read"),
    "elements of no kind": (by(in_table("element_file", lambda row: row.update(kind="recipe"))), "kind must be one of: navigation"),
    "a stream outside": (by(in_table("reference", lambda row: row.update(raw_file="../../secret"))), "outside the data folder"),
    "gear is no JSON": (by(in_table("gear", lambda row: row.update(data="{"))), "cannot be read"),
    "profile is not a profile": (by(in_table("profile", lambda row: row.update(data="GARBAGE"))), "cannot be read"),
    "frame is no JSON": (by(in_table("job_settings", lambda row: row.update(frame="{"))), "cannot be read"),
    "before all time": (by(in_table("mark", lambda row: row.update(created_s=-9e18))), "Row 1 of mark: created_s must be from 0 to 1e+11"),
    "after all time": (by(in_table("shot", lambda row: row.update(started_s=9e17))), "Row 1 of shot: started_s"),
    "2^62": (by(in_table("shot_epoch", lambda row: row.update(quality=1 << 62))), "a whole number of 19 digits; at most 18 are taken"),
    "10^17": (by(in_table("shot_epoch", lambda row: row.update(quality=10**17))), "of shot_epoch: quality must be from 0 to 1e+08"),
    "a point outside the world": (by(in_table("mark", lambda row: row.update(east_m=9e17))), "Row 1 of mark: east_m must be from"),
    "no name": (by(in_table("mark", lambda row: row.update(name="  "))), "Row 1 of mark: name must not be empty"),
    "a name turned around": (by(in_table("mark", lambda row: row.update(name="CS\u202e2"))), "holds the character U+202E"),
    "a name with nothing in it": (by(in_table("mark", lambda row: row.update(name="CS2\u200b"))), "without invisible characters"),
    "a key twice": (
        by(lambda name, content: content.replace(b'"name":', b'"name":"x","name":', 1) if name == "tables/mark.jsonl" else content),
        "names name twice",
    ),
    # 2026-12-01: by a blank before its colon the second one stood for the first, unseen.
    "a name twice, a blank apart": (
        by(lambda name, content: content.replace(b'"north_m":', b'"north_m":1.0,"north_m" :', 1) if "mark.jsonl" in name else content),
        "names north_m twice",
    ),
    "a row twice": (lambda source, out: twice(source, out, "mark"), "id is that of another row as well"),
    "twins": (lambda source, out: twice(source, out, "mark", id=STRANGE, name="Cafe\u0301"), "looks the same as another one"),
    "a row that replaces two lines": (lambda source, out: with_parents(source, out, 2, (0, 1)), "replaces rows of two lines"),
    "gear in place of other gear": (by(second("gear")), "replaces rows of two lines"),
    "a base's height in place of a pole's": (by(second("height_reading", other_end=True)), "replaces rows of two lines"),
    "a row that replaces itself": (lambda source, out: with_parents(source, out, 2, (2, 0)), "is not in this package"),
    "a row that replaces none, twice": (
        lambda source, out: with_parents(source, out, 2, (None, 0)),
        "said_replaces_id must be a UUID; it is ''",
    ),
    "a kind of nothing": (
        by(in_table("height_reading", lambda row: row.update(subject="moon"))),
        "subject must be one of: base, rover; it is 'moon'",
    ),
    "a unit of nothing": (
        by(in_table("job_settings", lambda row: row.update(length_unit="ell"))),
        "length_unit must be one of: m, ft, sft",
    ),
    "set-up without anything": (by(in_table("setup", lambda row: row.update(data="[]"))), "of setup: data cannot be read"),
    "set-up of other kinds": (
        by(in_table("setup", lambda row: row.update(data='{"station_id":"x"}'))),
        "of setup: data cannot be read: station_id",
    ),
    "settings out of range": (
        by(in_table("job_settings", lambda row: row.update(frame='{"system":{}}'))),
        "of job_settings: frame cannot be read",
    ),
    "a profile under another name": (
        by(in_table("profile", lambda row: row.update(name="Other"))),
        "its name or role is another than its row's",
    ),
    "what rests on no list": (by(in_table("shot", lambda row: row.update(rests_on='{"a":1}'))), "of shot: rests_on cannot be read"),
    "no UUID": (by(in_table("mark", lambda row: row.update(id="M0"))), "id must be a UUID; it is 'M0'"),
    "a version in words": (by(in_manifest(version="<b>1</b>")), "its version is not a version number"),
    "a job in words": (by(in_manifest(job="../..")), "has no UUID"),
    "tables no list": (by(in_manifest(tables=[])), "does not say what is in this package"),
    "time zone of nowhere": (by(in_table("job_settings", lambda row: row.update(time_zone="No/Where"))), "cannot be read"),
}


@pytest.fixture(scope="module")
def sound(demo_folder, tmp_path_factory):
    """A package of a job, and a program that has never heard of it."""
    folder = tmp_path_factory.mktemp("hostile")
    shutil.copytree(demo_folder, folder / "here")
    here, there = (build(folder / name, practice=False, demo=False, web_dir=None) for name in ("here", "there"))
    crew = Crew(here)
    with_sky(crew, crew.job(ALDER))
    yield packed(crew, crew.job(ALDER), folder / "sound.zip"), Crew(there), folder
    here.close()
    there.close()


@pytest.mark.parametrize("name", HOSTILE)
def test_what_is_no_package_is_refused_and_nothing_stays(sound, name):
    source, there, folder = sound
    make, words = HOSTILE[name]
    hostile = make(source, folder / f"{name}.zip")
    before = {path for path in folder.rglob("*") if path.suffix not in (".zip", ".copy") and "openstake.db" not in path.name}

    with pytest.raises(FileError) as refused:
        unpacked(there, hostile)

    assert words in refused.value.sentence
    assert there.get("/jobs")["jobs"] == []
    with there.program.context.database.read() as session:
        assert session.scalars(select(Mark)).all() == []
    assert {path for path in folder.rglob("*") if path.suffix not in (".zip", ".copy") and "openstake.db" not in path.name} == before


def test_a_northing_that_somebody_moved_shows_in_the_fingerprint_that_both_read_out(sound, places, tmp_path):
    """Whoever writes the hashes anew as well makes another fingerprint: 64 bits of SHA-256 (FIPS 180-4) that the packer reads out."""
    source, _, _ = sound
    moved = rewritten(source, tmp_path / "moved.zip", in_table("mark", lambda row: row.update(north_m=row["north_m"] + 1.0)))
    with zipfile.ZipFile(source) as archive:
        digest = hashlib.sha256(archive.read(MANIFEST)).hexdigest().upper()
    fingerprint = " ".join(digest[at : at + 4] for at in (0, 4, 8, 12))
    honest, other = unpacked(places("honest"), source), unpacked(places("other"), moved)
    assert "nothing has changed since" in honest.words and "does not prove who packed it" in honest.words
    assert honest.fingerprint == fingerprint != other.fingerprint


def test_what_a_manifest_calls_a_job_is_nobodys_word(sound, places, tmp_path):
    source, _, _ = sound
    office = places("office")
    made = unpacked(office, rewritten(source, tmp_path / "named.zip", in_manifest(name="Owned by <script>")))
    assert made.name == ALDER
    with office.program.context.database.read() as session:
        assert "Owned" not in " ".join(session.scalars(select(BookEntry.text)))


def test_a_name_that_was_corrected_to_its_composed_form_is_no_twin(sound, places, tmp_path):
    """Typed decomposed by an older version, and corrected: both rows are of one line, and the job travels."""
    source, _, _ = sound
    first = rows(source, "mark")[0]
    made = twice(source, tmp_path / "corrected.zip", "mark", id=STRANGE, name="Cafe\u0301", replaces_id=first["id"])
    assert unpacked(places("office"), made).rows


def test_a_row_that_was_changed_by_other_means_joins_nothing(sound, tmp_path, places):
    source, _, _ = sound
    office = places("office")
    unpacked(office, source)
    other = rewritten(source, tmp_path / "changed.zip", in_table("mark", lambda row: row.update(note="moved by hand")))

    with pytest.raises(FileError, match="changed by other means"):
        unpacked(office, other)


def test_a_package_replaces_no_row_of_another_job(sound, tmp_path, places):
    source, _, _ = sound
    office = places("office")
    other = office.post("/jobs", {"name": "Other", "system": {"kind": "code", "code": 2157}, "length_unit": "m"})["id"]
    lists = "name,east,north,ellipsoidal height\nM0,703412.361,629805.118,62.417\n"
    office.post(f"/jobs/{other}/control/accept", as_file(lists))
    theirs = office.mark(other, "M0")
    taking = rewritten(source, tmp_path / "taking.zip", in_table("mark", lambda row: row.update(replaces_id=theirs)))

    with pytest.raises(FileError, match="is not in this package"):
        unpacked(office, taking)
    assert office.mark(other, "M0") == theirs


def test_a_package_that_is_sent_to_the_page_is_unpacked_there(sound, places):
    source, _, _ = sound
    office = places("office")
    work = office.upload("/packages", source.read_bytes())
    while work["state"] == "running":
        work = office.get(f"/works/{work['id']}")
    assert work["state"] == "done" and work["job"] == office.job(ALDER)
    work = office.upload("/packages", b"GARBAGE")
    while work["state"] == "running":
        work = office.get(f"/works/{work['id']}")
    assert (work["state"], work["words"]) == ("failed", "This is not a package: it cannot be read as a ZIP file.")

    work = office.post(f"/jobs/{office.job(ALDER)}/packages")
    while work["state"] == "running":
        work = office.get(f"/works/{work['id']}")
    content = office.file(work["path"].removeprefix("/api"))
    assert zipfile.ZipFile(io.BytesIO(content)).testzip() is None
    office.get("/works/none", status=404)
