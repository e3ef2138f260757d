"""Names, notes and reasons that somebody chose to break what they are written into: every report, every export, read by other readers."""

import csv
import io
import json
import zipfile

import defusedxml.ElementTree as ET
import ezdxf
import pypdf
import pytest

from tests.filled import Filling

NASTY = (
    '=HYPERLINK("http://evil.example","x")',
    "+1+1",
    "@SUM(A1)",
    "-2+3",
    "<script>alert(1)</script>",
    "]]><x/>&amp;&#0;",
    "%s%n{0}{self}",
    "a\\P{\\C1;b}%%u",
    "'; DROP TABLE book; --",
    "${7*7}",
    "((()",
    "\u00e9\u4e2d\U0001f6a9",
    "x" * 38,
    "<b>&nbsp;</b>",
    "../../evil",
    "|cmd' /C calc'!A0",
)
FORMATS = ("csv", "geojson", "kml", "dxf", "landxml", "vectors")


@pytest.fixture(scope="module")
def hostile(shared_office):
    """A job of which every text that a person types is one of those."""
    crew, job = shared_office, shared_office.job()
    settings = crew.get(f"/jobs/{job}")
    changes = {"name": NASTY[4], "client": NASTY[0], "task": NASTY[5], "crew": NASTY[6], "notes": "\n".join(NASTY)}
    crew.post(f"/jobs/{job}/settings", {"replaces_id": settings["settings_id"], "changes": changes})

    def work(session):
        filling = Filling(session, job)
        filling.shots(*filling.base(0, filling.marks[0]), len(NASTY), 6, as_points=True)

    crew.program.context.database.write(work)
    points = crew.get(f"/jobs/{job}/points")["points"]
    for text, point in zip(NASTY, points, strict=False):
        wish = {"replaces_id": point["label_id"], "name": text[:40], "code": text[:40], "note": text, "reason": text}
        crew.post(f"/jobs/{job}/points/{point['id']}", wish)
    for text in NASTY:
        crew.post(f"/jobs/{job}/book/notes", {"words": text, "who": text[:20]})
    return crew, job


def taken(crew, job, kind):
    answer = crew._client.get(f"/api/jobs/{job}/take-home/{kind}", query_string={"doubtful": "take"}, base_url="http://127.0.0.1:8420")
    assert answer.status_code == 200, answer.get_data(as_text=True)
    disposition = answer.headers["Content-Disposition"]
    assert disposition.isascii() and disposition.count('"') == 2 and "/" not in disposition.partition('"')[2]
    return answer.get_data()


def test_every_export_is_read_by_another_reader_and_does_nothing(hostile):
    crew, job = hostile
    for kind in FORMATS:
        content = taken(crew, job, kind)
        for name, part in parts_of(content).items():
            read(kind, name, part)


def parts_of(content):
    if content[:2] != b"PK":
        return {"": content}
    with zipfile.ZipFile(io.BytesIO(content)) as archive:
        assert all("/" not in name and ".." not in name for name in archive.namelist())
        return {name: archive.read(name) for name in archive.namelist()}


def read(kind, name, part):
    if kind in ("csv", "vectors") or name.endswith(".csv"):
        rows = list(csv.reader(io.StringIO(part.decode("utf-8-sig"))))
        assert len({len(row) for row in rows if len(row) > 1}) <= 2
        assert not any(cell[:1] in "=@" and cell for row in rows for cell in row), "nothing that a spreadsheet works out"
        assert not any(cell[:1] in ("+", "-") and not number(cell) for row in rows for cell in row)
    elif kind == "geojson":
        features = json.loads(part)["features"]
        assert NASTY[4][:40] in {feature["properties"]["name"] for feature in features}
    elif kind in ("kml", "landxml"):
        root = ET.fromstring(part)
        assert not [item for item in root.iter() if str(item.tag).rpartition("}")[2] in ("script", "x", "b")]
    elif kind == "dxf":
        assert len(ezdxf.read(io.StringIO(part.decode("utf-8"))).modelspace()) >= len(NASTY)


def number(cell):
    try:
        return float(cell) is not None
    except ValueError:
        return False


def test_every_report_is_a_pdf_that_says_it_and_does_nothing(hostile):
    crew, job = hostile
    for report in crew.get(f"/jobs/{job}/reports")["reports"]:
        answer = crew._client.get(f"/api/jobs/{job}/reports/{report['kind']}.pdf", base_url="http://127.0.0.1:8420")
        if answer.status_code != 200:
            assert answer.status_code in (409, 422), answer.get_data(as_text=True)
            continue
        pdf = pypdf.PdfReader(io.BytesIO(answer.get_data()))
        assert pdf.pages[0].extract_text()
        raw = answer.get_data()
        assert b"/JavaScript" not in raw and b"/JS" not in raw and b"/Launch" not in raw and b"/URI" not in raw


def test_the_pages_of_it_are_answered_as_data(hostile):
    crew, job = hostile
    for path in ("book", "points", "marks", "steps", "chain", "checks", "reports", "take-home", "watch", "base", "fit"):
        crew.get(f"/jobs/{job}/{path}")
    lines = crew.get(f"/jobs/{job}/book?words=HYPERLINK")["lines"]
    assert lines and crew.get(f"/jobs/{job}/book")["verification"]["whole"]
