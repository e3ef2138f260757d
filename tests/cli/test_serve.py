"""`openstake serve`: for real work, without demo data and without stand-ins."""

import json
import os
import re
import signal
import subprocess
import sys
import urllib.error
import urllib.request

import pytest

pytestmark = pytest.mark.slow


def serve(*arguments, **environment):
    process = subprocess.Popen(
        [sys.executable, "-m", "openstake", "serve", "--port", "0", *arguments],
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
        env=os.environ | environment,
    )
    line = process.stdout.readline()
    return process, re.search(r"http://127\.0\.0\.1:\d+\S*", line)[0], line


def ask(url, path, body=None):
    sent = None if body is None else json.dumps(body).encode()
    address, _, token = url.partition("/?door=")
    headers = {"Content-Type": "application/json"} | ({"Authorization": f"Bearer {token}"} if token else {})
    request = urllib.request.Request(f"{address}/api{path}", sent, headers)
    with urllib.request.urlopen(request) as answer:
        return json.load(answer)


def test_it_begins_empty_and_its_jobs_count(tmp_path):
    process, url, line = serve("--data", str(tmp_path / "data"))
    try:
        assert "data" in line and ask(url, "/jobs")["jobs"] == [] and ask(url, "/gear")["items"] == []
        wish = {"name": "Real", "system": {"kind": "code", "code": 2157}, "length_unit": "m"}
        job = ask(url, "/jobs", wish)
        assert job["practice"] is False
        assert ask(url, f"/jobs/{job['id']}/stand")["practice"] is False
        suggested = ask(url, f"/jobs/{job['id']}/base")["suggested"]
        assert suggested["base_url"] is None and suggested["rover_url"] is None
        assert not (tmp_path / "data" / "world.json").exists(), "no stand-in was ever made"
        with pytest.raises(urllib.error.HTTPError) as refused:
            ask(url, f"/jobs/{job['id']}/bench", {"tape": "1.8 m"})
        assert refused.value.code == 422
    finally:
        process.send_signal(signal.SIGTERM)
        assert process.wait(10) == 0


def test_without_a_folder_it_is_where_the_platform_keeps_a_user_s_data(tmp_path):
    """XDG Base Directory Specification: $XDG_DATA_HOME, named by platformdirs."""
    process, _, line = serve(XDG_DATA_HOME=str(tmp_path))
    process.send_signal(signal.SIGTERM)
    assert process.wait(10) == 0
    assert str(tmp_path / "openstake") in line and (tmp_path / "openstake" / "openstake.db").exists()


def test_other_users_of_the_machine_read_nothing_and_are_not_answered(tmp_path):
    process, url, _ = serve("--data", str(tmp_path / "data"))
    try:
        with pytest.raises(urllib.error.HTTPError) as refused:
            ask(url.partition("/?door=")[0], "/jobs")
        assert refused.value.code == 401 and ask(url, "/jobs")["jobs"] == []
        token = (tmp_path / "data" / "door-token").read_text().strip()
        assert url.endswith(f"/?door={token}")
        modes = {
            str(path.relative_to(tmp_path)): path.stat().st_mode & 0o077 for path in (tmp_path / "data", *(tmp_path / "data").rglob("*"))
        }
        assert len(modes) > 4 and set(modes.values()) == {0}, modes
        assert token not in (tmp_path / "data" / "program.log").read_text()
    finally:
        process.send_signal(signal.SIGTERM)
        assert process.wait(10) == 0
    assert not list((tmp_path / "data" / "backups").rglob("door-token")), "in no backup"
    process, url, _ = serve("--data", str(tmp_path / "data"), "--open-door")
    try:
        assert "door" not in url and ask(url, "/jobs")["jobs"] == []
        assert "every user of this machine" in process.stdout.readline()
    finally:
        process.send_signal(signal.SIGTERM)
        assert process.wait(10) == 0
