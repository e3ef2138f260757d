"""Strangers: other users of the machine at the door on the loopback, and others on the network who type wrong passphrases."""

import pytest

from openstake.api.doors import CSRF_HEADER, DEVICE_COOKIE
from openstake.core.errors import NotSignedInError, TooOftenError
from openstake.store.private import DOOR_TOKEN, door_token, this_user_only
from openstake.workflow.access import Access, Door
from tests.api.test_hand import NEW_JOB, PASSPHRASE, Phone, office

HERE = "http://127.0.0.1:8420"
__all__ = ["office"]


@pytest.fixture
def closed(own_office):
    """A program whose door on this machine is closed, and a browser of another user."""
    context = own_office.program.context
    context.access.door_token = door_token(context.data_dir)
    yield own_office.program, own_office.program.app.test_client(), context.access.door_token
    context.access.door_token = None


def test_another_user_of_the_machine_reads_and_writes_nothing(closed):
    program, stranger, token = closed
    rules = [rule for rule in program.app.url_map.iter_rules() if rule.endpoint != "front_end"]
    for rule in rules:
        path = rule.build(dict.fromkeys(rule.arguments, "x"), append_unknown=False)[1]
        for method in rule.methods - {"HEAD", "OPTIONS"}:
            assert stranger.open(path, method=method, base_url=HERE).status_code == 401, path
    for wrong in (token[:-1], token + "x", token.upper(), "", "é" * 40, "x" * 100_000):
        asked = {"Authorization": f"Bearer {wrong}"}
        assert stranger.get("/api/jobs", base_url=HERE, headers=asked).status_code == 401
        stranger.set_cookie("openstake-door-8420", wrong[:2000], domain="127.0.0.1")
        assert stranger.get("/api/jobs", base_url=HERE).status_code == 401
        assert stranger.get("/", base_url=HERE, query_string={"door": wrong}).status_code == 401
    # A page that sends with another port's cookie is nobody.
    stranger.set_cookie("openstake-door-9999", token, domain="127.0.0.1")
    assert stranger.get("/api/jobs", base_url=HERE).status_code == 401


def test_who_has_none_is_told_where_the_address_stands(closed):
    program, stranger, token = closed
    page = stranger.get("/jobs/1/base", base_url=HERE)
    said = page.get_data(as_text=True)
    assert page.status_code == 401 and page.mimetype == "text/html" and page.headers["Cache-Control"] == "no-store"
    assert str(program.context.data_dir / DOOR_TOKEN) in said and token not in said


def test_the_printed_address_opens_the_door_once_and_a_cookie_after_that(closed):
    """RFC 6265: HttpOnly and SameSite=Strict; the address in the bar holds the token no longer."""
    _, browser, token = closed
    answer = browser.get("/", base_url=HERE, query_string={"door": token})
    assert (
        answer.status_code == 200 and 'content="0;url=/"' in answer.get_data(as_text=True) and answer.headers["Cache-Control"] == "no-store"
    )
    flags = {part.strip() for part in answer.headers["Set-Cookie"].split(";")[1:]}
    assert {"HttpOnly", "SameSite=Strict", "Path=/"} <= flags
    assert browser.get("/api/jobs", base_url=HERE).status_code == 200
    assert browser.post("/api/jobs", base_url=HERE, json=NEW_JOB).status_code == 200
    script = browser.application.test_client()
    assert script.get("/api/jobs", base_url=HERE, headers={"Authorization": f"bearer {token}"}).status_code == 200
    # It opens nothing on the network.
    phone = Phone(closed[0])
    closed[0].context.access.door = Door(names=("10.1.2.3",), port=8443, root_pem=b"", fingerprint="", own_certificate=False)
    assert phone.open("GET", "/api/jobs", {"Authorization": f"Bearer {token}"}).status_code == 401


def test_a_folder_that_stood_open_is_closed_and_its_token_stays(tmp_path):
    folder = tmp_path / "data"
    (folder / "raw").mkdir(parents=True, mode=0o755)
    for name in ("program.log", "openstake.db", "raw/a.raw", "mine.txt"):
        (folder / name).write_bytes(b"")
        (folder / name).chmod(0o644)
    folder.chmod(0o755)
    this_user_only(folder)
    modes = {name: (folder / name).stat().st_mode & 0o777 for name in (".", "raw", "program.log", "openstake.db", "raw/a.raw", "mine.txt")}
    assert modes == {".": 0o700, "raw": 0o700, "program.log": 0o600, "openstake.db": 0o600, "raw/a.raw": 0o600, "mine.txt": 0o644}
    token = door_token(folder)
    assert (folder / DOOR_TOKEN).stat().st_mode & 0o777 == 0o600 and len(token) >= 43 and door_token(folder) == token
    (folder / DOOR_TOKEN).write_text("short")
    assert door_token(folder) != token, "what is cut off opens nothing"


def flooded(program, places=7):
    """A stranger's wrong passphrases from so many addresses."""
    for n in range(places):
        stranger = Phone(program, f"10.1.2.{100 + n}")
        for _ in range(3):
            stranger.sign_in("a wrong passphrase")


def test_a_device_that_signed_in_before_waits_for_no_stranger(office):
    owner = Phone(office.program, "10.1.2.40")
    assert owner.sign_in().status_code == 200
    kept = owner._client.get_cookie(DEVICE_COOKIE, domain="10.1.2.3")
    assert kept is not None and kept.http_only and kept.secure and kept.same_site == "Strict"
    owner.post("/api/session/end")
    flooded(office.program)
    assert Phone(office.program, "10.1.2.41").sign_in().status_code == 429, "a new device waits with the strangers"
    owner.address = "10.1.2.99"
    assert owner.sign_in().status_code == 200
    # It is no key, and spares nobody his own wrong ones.
    owner.post("/api/session/end")
    owner.csrf = None
    codes = [owner.sign_in(f"wrong passphrase {n}").status_code for n in range(5)]
    assert codes == [401, 401, 401, 429, 429]


def test_who_reads_the_code_on_the_machine_waits_for_no_stranger(office):
    assert office.get("/hand")["code"] == "", "nobody waits, and no code is shown"
    flooded(office.program)
    code, new = office.get("/hand")["code"], Phone(office.program, "10.1.2.41")

    def with_code(typed, passphrase=PASSPHRASE):
        return new.post("/api/session", {"passphrase": passphrase, "who": "MK", "code": typed})

    refused = new.sign_in().get_json()
    assert "Phones" in refused["detail"] and refused["field"] == "code", "the page asks for what the program names"
    for wrong in ("", "2222 2222", "é", code[:-1]):
        assert with_code(wrong).status_code == 429
    assert with_code(code, "not the passphrase").status_code == 401, "the code alone lets nobody in"
    assert with_code(code).status_code == 429, "and is used once"
    code = office.get("/hand")["code"]
    assert with_code(code.lower().replace(" ", "")).status_code == 200


def test_a_clock_that_is_set_back_makes_nobody_wait_longer(office, tmp_path):
    wall, monotonic = [1e9], [50.0]
    access = Access(tmp_path, lambda: wall[0], lambda: monotonic[0], lambda session: None)
    access.set_passphrase(PASSPHRASE, "")
    for _ in range(3):
        with pytest.raises(NotSignedInError):
            access.sign_in("a wrong passphrase", "MK", "phone", "10.1.2.7")
    with pytest.raises(TooOftenError) as waits:
        access.sign_in(PASSPHRASE, "MK", "phone", "10.1.2.7")
    wall[0] -= 86_400.0
    monotonic[0] += float(waits.value.seen["wait_s"])
    assert access.sign_in(PASSPHRASE, "MK", "phone", "10.1.2.7").who == "MK"


@pytest.mark.parametrize("token", ["é", "\udcff", "x" * 60_000, "'; DROP TABLE book; --"])
def test_a_token_of_any_letters_is_no_token_and_no_crash(office, token):
    phone = Phone(office.program)
    phone.sign_in()
    assert phone.open("POST", "/api/jobs", {CSRF_HEADER: token}, json=NEW_JOB).status_code == 403


@pytest.mark.parametrize("text", ["CS\u202e2", "a\x00b", "a\x1b[2J", "\ufffe"])
def test_a_query_of_characters_that_are_none_is_refused(office, text):
    """They would stand in a name, in the Book's chain, in a terminal."""
    job = office.job()
    for path in (f"/jobs/{job}/book/photo", "/geoids"):
        office.upload(path, b"x", 400, name=text)
    answer = office._client.get(f"/api/jobs/{job}/book", query_string={"words": text}, base_url=HERE)
    assert answer.status_code == 400
