"""What the API publishes is what the program makes: one declaration, in the schema as well, the event stream's too."""

import dataclasses
import json
import re
import threading
import time
from collections import Counter
from pathlib import Path
from typing import get_args, get_type_hints

import pytest
from jsonschema import Draft202012Validator
from pydantic import TypeAdapter

import openstake.api.common
from openstake.api.common import Problem, Spec, published
from openstake.api.server import openapi_text
from openstake.api.watch import Events
from openstake.live.hub import Hub

ROOT = Path(__file__).parents[2]


@pytest.fixture(scope="module")
def document(shared_program):
    return json.loads(openapi_text(shared_program.program.app))


def test_the_document_that_the_front_end_is_made_from_is_fresh(document):
    assert json.loads((ROOT / "docs/openapi.json").read_text()) == document, "run make schema"


def shape(document, name):
    """Return the schema of a published shape, its references within the document."""
    return {"$ref": f"#/components/schemas/{name}", "components": document["components"]}


def test_views_are_no_dictionaries():
    """2026-11-27: 120 functions of workflow/ returned dict[str, Any]."""
    sources = [path.read_text() for path in (ROOT / "src/openstake/workflow").rglob("*.py")]

    returned = [line for text in sources for line in re.findall(r"def (\w+)\([^)]*\) -> (?:list\[)?dict\[str, Any\]", text)]
    # What is typed and not yet read: columns of the store, and settings as they come and go.
    assert set(returned) <= {"values_of", "_changed"}


def test_two_shapes_of_one_name_are_a_broken_program():
    published(Problem)
    other = dataclasses.make_dataclass("Problem", [("title", str)], frozen=True)

    with pytest.raises(TypeError, match="published twice"):
        published(other)


def test_what_an_answer_has_by_default_is_there_all_the_same(document):
    assert document["components"]["schemas"]["Nothing"]["required"] == ["done"]
    # What is asked may leave out what has a default.
    assert document["components"]["schemas"]["TrySystem"]["required"] == ["system"]


@pytest.mark.parametrize("path", ["steps", "base", "watch", "checks", "book", "plan", "system", "link", "packing", "marks"])
def test_every_answer_is_what_its_schema_says(shared_program, document, path):
    job = shared_program.job()
    answer = document["paths"][f"/api/jobs/{{job_id}}/{path}"]["get"]["responses"]["200"]
    name = answer["content"]["application/json"]["schema"]["$ref"].rsplit("/", 1)[1]

    Draft202012Validator(shape(document, name)).validate(shared_program.get(f"/jobs/{job}/{path}"))


@pytest.mark.slow
def test_the_event_stream_is_in_the_schema_and_keeps_to_it(own_program, document):
    job = own_program.job()
    own_program.walk_to(job, "CS2")
    own_program.start_base(job)
    own_program.wait_fixed(job)
    client = own_program.program.app.test_client()
    stream = client.get(f"/api/jobs/{job}/events", base_url="http://127.0.0.1:8420", buffered=False)

    heard = {}
    for piece in stream.response:
        for name, data in re.findall(r"event: (\w+)\ndata: (.+)\n", piece.decode()):
            heard[name] = json.loads(data)
        if {"live", "job", "beat"} <= set(heard):
            break
    stream.close()

    assert document["components"]["schemas"]["Events"]["required"] == ["live", "average", "job", "beat"]
    TypeAdapter(Events).validate_python({"average": None} | heard)
    assert (heard["live"][0]["status"], heard["job"]) == ("fixed", {"job_id": job})
    assert heard["live"][0]["advice"] == "Fixed. Prove it on a known mark before any work."


def test_what_is_asked_beyond_its_limits_is_a_problem_with_its_field(shared_program):
    job = shared_program.job()

    problem = shared_program.post(f"/jobs/{job}/base/readings", {"reading": "x" * 300, "feature": "bottom"}, status=422)
    assert problem["field"] == "reading" and "200" in problem["detail"]
    problem = shared_program.get(f"/jobs/{job}/history?seconds=90000", status=422)
    assert problem["field"] == "seconds"
    assert shared_program.post(f"/jobs/{job}/checks", {"mark_id": "x"}, status=422)["field"] == "seconds"


def test_a_hub_takes_any_payload():
    hub = Hub()
    hub.publish("live:a", None)

    assert next(hub.stream(0, ("live:a",))).payload is None


def inside(shape, seen):
    """Return every dataclass that a shape holds, itself included."""
    if not dataclasses.is_dataclass(shape) or shape in seen:
        for part in get_args(shape):
            inside(part, seen)
        return seen
    seen.add(shape)
    for hint in get_type_hints(shape).values():
        inside(hint, seen)
    return seen


def test_every_published_name_is_one_shape_also_inside_the_others(document):
    """A name that two dataclasses share would be published once, with the fields of one of them."""
    assert document["paths"]
    found = set()
    for shape in openstake.api.common._PUBLISHED.values():
        inside(shape, found)

    names = Counter(shape.__name__ for shape in found)
    assert [name for name, count in names.items() if count > 1] == []
    assert len(found) > 100


def test_routes_that_are_first_asked_by_many_at_once_answer_all_of_them(own_office):
    """A page asks for several things as it opens: whoever comes second must not meet what is half made."""
    job = own_office.job()
    paths = [f"/api/jobs/{job}/{step}" for step in ("steps", "base", "checks", "points", "marks", "watch", "book", "fit")]
    begin, answers = threading.Barrier(3 * len(paths)), []

    def ask(path):
        client = own_office.program.app.test_client()
        begin.wait()
        answers.append(client.get(path, base_url="http://127.0.0.1:8420").status_code)

    threads = [threading.Thread(target=ask, args=(path,)) for path in paths * 3]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert answers == [200] * len(threads)


def test_of_two_routes_that_are_first_asked_at_once_one_is_made_after_the_other():
    spec, inside, most = Spec(), [], []

    def make():
        inside.append(1)
        most.append(len(inside))
        time.sleep(0.05)  # the other one is asked meanwhile
        inside.pop()
        return lambda: "made"

    views = [spec.later(f"route {n}", make) for n in range(4)]
    threads = [threading.Thread(target=view) for view in views]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert most == [1] * 4
    assert [view() for view in views] == ["made"] * 4 and len(most) == 4, "and none is made twice"
