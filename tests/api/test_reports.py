"""Reports read back from their PDFs: the numbers of the pages, what they are in, what they were measured with, whose judgement it is."""

import io
import re

import pypdf
import pytest

from openstake import __version__
from openstake.core.report import JUDGEMENT, Report, ReportPart
from openstake.wire.reportpdf import write_report, written
from tests import processes

ALDER = "Alder Ford Footbridge"
KINDS = ("day", "base", "check", "job")


@pytest.fixture(scope="module")
def printed(shared_office):
    job = shared_office.job(ALDER)

    def read(kind, query=""):
        return text_of(shared_office.file(f"/jobs/{job}/reports/{kind}.pdf{query}"))

    read.crew, read.job = shared_office, job
    return read


def text_of(content):
    pages = [page.extract_text() for page in pypdf.PdfReader(io.BytesIO(content)).pages]
    return re.sub(r"\s+", " ", " ".join(pages))


@pytest.mark.parametrize("kind", KINDS)
def test_every_report_says_what_its_numbers_are_in_and_whose_judgement_it_is(printed, kind):
    text = printed(kind)
    assert f"Open Stake {__version__}" in text and ALDER in text
    for said in ("EPSG:25832", "ETRS89", "metre", "Geoid none", "epoch as the control list", "Q4-118-0273", "3.2.1", JUDGEMENT):
        assert said in text, said
    pages = re.findall(r"page (\d+) of (\d+)", text)
    assert [int(number) for number, _ in pages] == list(range(1, int(pages[0][1]) + 1))


def test_the_base_sheet_has_the_coordinate_the_readings_and_what_was_corrected(printed):
    text = printed("base")
    for said in (
        "514646.284 m, 5416310.957 m",
        "312.408 m",
        "58 9/16 in",
        "1.487 m",
        "corrected later",
        "read again with the tape straight",
    ):
        assert said in text, said
    # AF1 by PROJ, EPSG:25832 to geographic (pyproj 3.7).
    assert "48.8995714" in text and "9.1998416" in text


def test_the_checks_have_their_differences_tolerances_and_state(printed):
    text = printed("check")
    checks = printed.crew.get(f"/jobs/{printed.job}/checks")["checks"]
    for check in checks:
        assert f"{check['east_m']:.3f} m" in text and f"{check['north_m']:.3f} m" in text
    assert "disagrees: stop" in text and "out of date: go with care" in text and "'2.000 m' to Fixed 2.000 m rod" in text


def test_the_job_has_its_chain_its_budget_and_its_findings_with_answers(printed):
    chain = printed.crew.get(f"/jobs/{printed.job}/chain")
    worst = chain["findings"][0]["finding"]
    answer = {"code": worst["code"], "sentence": worst["sentence"], "words": "accepted because not used", "who": "ab"}
    printed.crew.post(f"/jobs/{printed.job}/findings/answer", answer)
    text = printed("job")
    assert f"{chain['budget']['horizontal_95_m']:.3f} m horizontally, {chain['budget']['vertical_95_m']:.3f} m in height" in text
    assert worst["sentence"] in text and "Answered by ab: accepted because not used." in text
    for link in chain["links"]:
        assert link["name"] in text and link["state"] in text


def test_a_day_is_printed_with_its_signature(printed):
    crew, job = printed.crew, printed.job
    day = crew.get(f"/jobs/{job}/book/days")["days"][-1]["day"]
    assert "Not signed off." in printed("day", f"?day={day}")
    crew.post(f"/jobs/{job}/book/sign", {"day": day, "who": "Łucja Ő.", "words": "as measured"})
    text = printed("day", f"?day={day}")
    assert "Signed off by Łucja O." in text and "The frozen copy is whole" in text and "Check on AF4, 61 epochs" in text


def test_what_cannot_be_reported_is_a_sentence(printed):
    crew = printed.crew
    bare = crew.post("/jobs", {"name": "Bare", "system": {"kind": "code", "code": 2157}, "length_unit": "m"})["id"]
    for kind, status in (("base", 409), ("check", 409), ("fit", 409), ("invoice", 422)):
        assert crew.get(f"/jobs/{bare}/reports/{kind}.pdf", status)["detail"].endswith(".")
    crew.get(f"/jobs/{printed.job}/reports/day.pdf?day=2019-02-30", 422)
    crew.get(f"/jobs/{printed.job}/reports/day.pdf?day=2019-02-28", 404)
    assert JUDGEMENT in text_of(crew.file(f"/jobs/{bare}/reports/job.pdf")), "an empty chain is a report, too"


def test_a_long_table_goes_over_pages_with_its_header_and_odd_letters_leave_no_gap():
    rows = [("Name", "Note"), *((f"P{n}", "a note that is long enough to be broken, <b>not</b> markup & such") for n in range(200))]
    text = text_of(
        write_report(Report(title="Long", job="Job", printed="now", version="Open Stake", parts=[ReportPart(title="Points", table=rows)]))
    )
    assert "P0" in text and "P199" in text and text.count("Name Note") > 3 and "<b>not</b> markup & such" in text
    assert written("−2′ σ Ő 中") == "−2' sigma O ?"


@pytest.mark.slow
def test_the_verb_writes_a_report_beside_a_program_that_runs(printed, tmp_path):
    data = printed.crew.program.context.data_dir

    def run(*arguments):
        return processes.run(["report", *map(str, arguments)], capture_output=True, text=True, check=False, timeout=120)

    out = tmp_path / "base.pdf"
    assert run(ALDER, "--kind", "base", "--out", out, "--data", data).returncode == 0
    assert "514646.284 m" in text_of(out.read_bytes())
    for wrong in ((ALDER, "--kind", "base", "--out", out, "--data", tmp_path), ("Nowhere", "--kind", "job", "--out", out, "--data", data)):
        refused = run(*wrong)
        assert refused.returncode == 2 and refused.stderr.strip().endswith(".") and "Traceback" not in refused.stderr
    assert "514646.284 m" in text_of(out.read_bytes()), "what was there stays"
