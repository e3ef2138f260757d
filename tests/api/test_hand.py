"""Who comes in over the network: nobody without the passphrase, no other site, no other name, and not by guessing."""

import json
import logging
import stat

import pytest

from openstake.api.doors import COOKIE, CSRF_HEADER, NETWORK_DOOR
from openstake.core.errors import InputError, TooOftenError
from openstake.store.access import NAME, PassphraseHash, read_access
from openstake.workflow.access import IDLE_S, Access, Door, Guesses, checked_passphrase, wait_after
from openstake.workflow.hand import device_of

HOST = "10.1.2.3:8443"
PASSPHRASE = "wet boots and lath"
NEW_JOB = {"name": "From the pole", "system": {"kind": "code", "code": 2157}, "length_unit": "m"}


class Phone:
    """A browser on the network: it keeps its cookie, and sends what its page was given."""

    def __init__(self, program, address="10.1.2.40", host=HOST):
        self._client, self.address, self.host, self.csrf = program.app.test_client(), address, host, None

    def open(self, method, path, headers=None, **more):
        return self._client.open(
            path,
            method=method,
            base_url=f"https://{self.host}",
            headers=headers or {},
            environ_overrides={NETWORK_DOOR: True, "REMOTE_ADDR": self.address},
            **more,
        )

    def get(self, path):
        return self.open("GET", path)

    def post(self, path, body=None, **headers):
        token = {CSRF_HEADER: self.csrf} if self.csrf else {}
        return self.open("POST", path, token | headers, json=body)

    def sign_in(self, passphrase=PASSPHRASE, who="MK"):
        answer = self.post("/api/session", {"passphrase": passphrase, "who": who})
        self.csrf = answer.get_json().get("csrf")
        return answer

    @property
    def cookie(self):
        return self._client.get_cookie(COOKIE, domain=self.host.partition(":")[0])


@pytest.fixture
def office(own_office, monkeypatch):
    # What a passphrase costs to try is not the matter here (tests/cli/test_lan.py has the real cost): 128 MiB each time.
    monkeypatch.setitem(PassphraseHash.__init__.__kwdefaults__, "n", 1 << 10)
    access = own_office.program.context.access
    access.door = Door(names=("10.1.2.3",), port=8443, root_pem=b"root", fingerprint="AA:BB", own_certificate=False)
    access.set_passphrase(PASSPHRASE, "what we stand in")
    return own_office


@pytest.fixture
def phone(office):
    return Phone(office.program)


def test_without_the_passphrase_nothing_but_the_sign_in_answers(office, phone):
    job = office.job()
    rules = [rule for rule in office.program.app.url_map.iter_rules() if rule.endpoint != "front_end"]
    assert len(rules) > 100

    said = {}
    for rule in rules:
        path = rule.build(dict.fromkeys(rule.arguments, job), append_unknown=False)[1]
        for method in rule.methods - {"HEAD", "OPTIONS"}:
            if (method, path) != ("POST", "/api/session"):
                said[(method, path)] = phone.open(method, path).status_code

    assert {key: status for key, status in said.items() if status != 401} == {}
    assert phone.sign_in("not the passphrase").status_code == 401
    assert phone.cookie is None


def test_signed_in_a_phone_reads_and_writes_and_the_book_says_who(office, phone):
    assert phone.sign_in().status_code == 200
    assert phone.get("/api/jobs").status_code == 200

    job = phone.post("/api/jobs", NEW_JOB).get_json()["id"]

    lines = phone.get(f"/api/jobs/{job}/book").get_json()["lines"]
    assert {line["by"] for line in lines if line["side"] == "crew"} == {"MK"}
    office.post(f"/jobs/{job}/book/notes", {"words": "written at the machine"})
    assert office.get(f"/jobs/{job}/book")["lines"][0]["by"] == ""
    assert office.get(f"/jobs/{job}/book")["verification"]["whole"]


def test_the_cookie_is_out_of_reach_of_scripts_other_sites_and_plain_connections(phone):
    """RFC 6265bis, 4.1.2 and 4.1.3.2: the attributes, and what the prefix `__Host-` asks for."""
    cookie = phone.sign_in().headers["Set-Cookie"]

    flags = {part.strip() for part in cookie.split(";")[1:]}
    assert {"Secure", "HttpOnly", "SameSite=Strict", "Path=/"} <= flags
    assert cookie.startswith("__Host-") and not any(flag.startswith("Domain") for flag in flags)


@pytest.mark.parametrize("host", ["evil.example:8443", "10.1.2.4:8443", "10.1.2.3:80", "10.1.2.3", "127.0.0.1:8443", "localhost:8443"])
def test_under_another_name_or_port_nobody_is_answered(office, phone, host):
    phone.sign_in()
    stranger = Phone(office.program, host=host)

    assert stranger.get("/").status_code == 403
    assert stranger.get("/api/session").status_code == 403
    assert stranger.sign_in().status_code == 403


def test_a_name_of_the_network_does_not_open_the_machine_s_own_door(office):
    # The loopback needs no passphrase, so nothing that comes over the network may pass for it.
    said = office.program.app.test_client().get("/api/jobs", base_url=f"http://{HOST}", headers={"X-Forwarded-For": "127.0.0.1"})
    header = office.program.app.test_client().get(
        "/api/jobs",
        base_url=f"https://{HOST}",
        headers={"Openstake-Network": "", "openstake.network": ""},
        environ_overrides={NETWORK_DOOR: True},
    )

    assert (said.status_code, header.status_code) == (403, 401)


@pytest.mark.parametrize("origin", ["https://evil.example", "http://10.1.2.3:8443", "https://10.1.2.3", "null"])
def test_another_origin_changes_nothing_even_with_the_cookie_and_the_token(phone, origin):
    phone.sign_in()

    assert phone.post("/api/jobs", NEW_JOB, Origin=origin).status_code == 403
    assert phone.post("/api/jobs", NEW_JOB, Origin=f"https://{HOST}").status_code == 200


def test_what_writes_needs_the_token_of_this_session(office, phone):
    phone.sign_in()
    other = Phone(office.program)
    other.sign_in(who="AB")

    for token in ({}, {CSRF_HEADER: ""}, {CSRF_HEADER: "0" * 64}, {CSRF_HEADER: other.csrf}):
        assert phone.open("POST", "/api/jobs", token, json=NEW_JOB).status_code == 403
    assert phone.open("DELETE", "/api/jobs/x", {}).status_code == 403
    upload = phone.open("POST", "/api/packages", {}, data=b"x", content_type="application/octet-stream")
    assert upload.status_code == 403
    assert phone.get("/api/jobs").status_code == 200


def test_a_cookie_is_worth_nothing_after_its_session_has_ended(office, phone):
    phone.sign_in()
    kept = phone.cookie.value
    assert phone.post("/api/session/end").status_code == 200
    assert phone.cookie is None

    phone._client.set_cookie(COOKIE, kept, domain="10.1.2.3", secure=True)
    assert phone.get("/api/jobs").status_code == 401
    assert phone.post("/api/jobs", NEW_JOB).status_code == 401


def test_an_answer_that_is_kept_for_a_request_sent_twice_is_not_given_to_another(office, phone):
    phone.sign_in()
    key = {"Idempotency-Key": "one-and-the-same"}
    first = phone.post("/api/jobs", NEW_JOB, **key)
    assert phone.post("/api/jobs", NEW_JOB, **key).get_json() == first.get_json()

    assert Phone(office.program).post("/api/jobs", NEW_JOB, **key).status_code == 401
    other = Phone(office.program)
    other.sign_in(who="AB")
    assert other.post("/api/jobs", NEW_JOB, **key).status_code == 409


def test_the_machine_ends_a_session_or_all_and_their_event_streams(office, phone):
    phone.sign_in()
    other = Phone(office.program, "10.1.2.41")
    other.sign_in(who="AB")
    stream = phone.get(f"/api/jobs/{office.job()}/events").response
    assert next(iter(stream)).startswith(b"retry")

    connected = office.get("/hand")["connected"]
    assert [(item["who"], item["address"], item["streams"]) for item in connected] == [("MK", "10.1.2.40", 1), ("AB", "10.1.2.41", 0)]
    office.post("/hand/end", {"session_id": connected[0]["session_id"]})

    assert b"".join(stream).endswith(b"retry: 60000\n\n"), "the stream has an end"
    assert phone.get("/api/jobs").status_code == 401
    assert other.get("/api/jobs").status_code == 200
    assert office.post("/hand/end", {})["connected"] == []
    assert other.get("/api/jobs").status_code == 401


def test_who_is_let_in_is_decided_on_the_machine_alone(phone):
    phone.sign_in()

    for answer in (
        phone.get("/api/hand"),
        phone.post("/api/hand/end", {}),
        phone.post("/api/hand/passphrase", {"passphrase": "another one here", "again": "another one here"}),
    ):
        assert answer.status_code == 403 and "own machine" in answer.get_json()["detail"]
    assert phone.get("/api/hand/root.crt").get_data() == b"root"


def test_a_hundred_guesses_are_slowed_down_and_the_right_one_waits_with_them(office, phone):
    access, now = office.program.context.access, [1000.0]
    access._monotonic = lambda: now[0]
    codes = [phone.sign_in(f"guess number {n}").status_code for n in range(100)]

    assert codes == [401] * 3 + [429] * 97
    refused = phone.sign_in()
    assert (refused.status_code, refused.headers["Retry-After"]) == (429, "1")
    assert phone.cookie is None
    # Another phone of the crew is not kept out by one that guesses.
    assert Phone(office.program, "10.1.2.50").sign_in().status_code == 200

    now[0] += 1.0
    assert phone.sign_in("one more guess").status_code == 401
    assert phone.sign_in().headers["Retry-After"] == "2"
    now[0] += 2.0
    assert phone.sign_in().status_code == 200


def test_guesses_from_many_places_wait_together():
    guesses = Guesses()
    for n in range(20):
        guesses.refuse_too_soon(f"10.0.0.{n}", 1000.0, False)
        guesses.wrong(f"10.0.0.{n}", 1000.0, False)

    with pytest.raises(Exception, match="Too many wrong passphrases"):
        guesses.refuse_too_soon("10.9.9.9", 1000.5, False)
    guesses.refuse_too_soon("10.9.9.9", 2000.0, False)


def test_each_wrong_one_doubles_the_wait():
    assert [wait_after(wrong, 3) for wrong in (0, 2, 3, 4, 5, 60)] == [0.0, 0.0, 1.0, 2.0, 4.0, 300.0]


@pytest.mark.parametrize(
    ("passphrase", "hint", "field"),
    [
        ("short", "", "passphrase"),
        ("aaaaaaaaaaaaaa", "", "passphrase"),
        ("x" * 201, "", "passphrase"),
        (PASSPHRASE, f"it is {PASSPHRASE}", "hint"),
    ],
)
def test_a_passphrase_that_is_easily_guessed_is_refused(own_office, passphrase, hint, field):
    wish = {"passphrase": passphrase, "again": passphrase, "hint": hint}
    assert own_office.post("/hand/passphrase", wish, status=422)["field"] == field
    assert own_office.get("/hand")["has_passphrase"] is False


def test_a_new_passphrase_signs_everybody_out(office, phone):
    phone.sign_in()
    wish = {"passphrase": "quite another one", "again": "quite another one"}
    assert office.post("/hand/passphrase", wish | {"again": "x"}, status=422)["field"] == "again"
    assert office.post("/hand/passphrase", wish)["connected"] == []

    assert phone.get("/api/jobs").status_code == 401
    assert phone.sign_in().status_code == 401


def test_nobody_comes_in_before_a_passphrase_is_set(own_office):
    own_office.program.context.access.door = Door(names=("10.1.2.3",), port=8443, root_pem=None, fingerprint="", own_certificate=True)

    said = Phone(own_office.program).sign_in()

    assert said.status_code == 409 and "No passphrase is set" in said.get_json()["detail"]
    assert "Set a passphrase first" in own_office.get("/hand")["why_not"]


def test_a_name_is_asked_for(phone):
    for who in ("", "   ", "x" * 21):
        answer = phone.sign_in(who=who)
        assert answer.status_code == 422 and answer.get_json()["field"] == "who"


def test_no_secret_stands_in_a_log_a_page_an_export_or_a_file_that_others_read(office, phone, caplog):
    caplog.set_level(logging.DEBUG)
    phone.sign_in()
    token = phone.cookie.value
    job = phone.post("/api/jobs", NEW_JOB).get_json()["id"]
    office.post("/backups")
    folder = office.program.context.data_dir
    secrets = [PASSPHRASE.encode(), token.encode(), phone.csrf.encode()]

    said = caplog.text.encode()
    for path in (f"/api/jobs/{job}/book", "/api/jobs", f"/api/jobs/{job}/points.csv"):
        said += phone.get(path).get_data()
    said += json.dumps(office.get("/hand")).encode()
    said += b"".join(path.read_bytes() for path in folder.rglob("*") if path.is_file())

    assert [secret for secret in secrets if secret in said] == []
    assert stat.S_IMODE((folder / NAME).stat().st_mode) == 0o600
    assert not list((folder / "backups").rglob(NAME)), "who may come in is in no backup"


def test_sessions_outlive_the_program_and_not_a_day_without_use(tmp_path):
    now, ended = [1000.0], []
    access = Access(tmp_path, lambda: now[0], lambda: now[0], ended.append)
    access.set_passphrase(PASSPHRASE, "")
    visitor = access.sign_in(PASSPHRASE, "MK", "phone", "10.1.2.40")

    again = Access(tmp_path, lambda: now[0], lambda: now[0], ended.append)
    assert again.visitor(visitor.token).who == "MK"
    now[0] += IDLE_S + 1
    assert again.visitor(visitor.token) is None
    assert ended == [visitor.session_id] and read_access(tmp_path).sessions == ()


def test_a_file_of_sessions_that_cannot_be_read_lets_nobody_in(tmp_path):
    for garbage in (b"", b"{", b"[]", b'{"passphrase": {"salt": 1}, "hint": "", "sessions": []}', b"\xff" * 40):
        (tmp_path / NAME).write_bytes(garbage)
        assert read_access(tmp_path).sessions == () and read_access(tmp_path).passphrase is None


@pytest.mark.parametrize(
    ("words", "device"),
    [
        ("Mozilla/5.0 (Linux; Android 14) Mobile Safari", "phone"),
        ("Mozilla/5.0 (Linux; Android 14; Tab)", "tablet"),
        ("Mozilla/5.0 (X11; Linux x86_64)", "computer"),
        ("", "computer"),
    ],
)
def test_a_browser_tells_what_it_runs_on(words, device):
    assert device_of(words) == device


def test_a_correction_that_came_second_is_told_what_holds_and_whose_it_is(office, phone):
    phone.sign_in()
    job = office.job()
    settings = office.get(f"/jobs/{job}")["settings_id"]
    assert phone.post(f"/api/jobs/{job}/settings", {"replaces_id": settings, "changes": {"crew": "two of us"}}).status_code == 200

    late = office.post(f"/jobs/{job}/settings", {"replaces_id": settings, "changes": {"crew": "three of us"}}, status=409)["detail"]

    assert "in the meantime by MK" in late and "two of us" in late


@pytest.mark.parametrize(
    ("host", "port", "answers"),
    [
        ("10.1.2.3", 8443, True),
        ("pole.crew.example", 8443, True),
        ("crew.example", 8443, False),
        ("a.pole.crew.example", 8443, False),
        ("example", 8443, False),
        ("10.1.2.3", 443, False),
        (None, 8443, False),
    ],
)
def test_which_names_a_door_answers_to(host, port, answers):
    """RFC 6125, 6.4.3: the star stands for one label, the leftmost."""
    assert (
        Door(names=("10.1.2.3", "*.crew.example"), port=8443, root_pem=None, fingerprint="", own_certificate=True).answers_to(host, port)
        is answers
    )


@pytest.mark.parametrize(
    ("text", "holds"),
    [
        ("abcde fghij", False),
        ("abcde fghijk", True),
        ("ab " * 70, False),
        ("abcdefgh" * 25, True),
        ("abcdefgh" * 25 + "i", False),
        ("abcd" * 4, False),
        ("abcde" * 4, True),
        ("  abcde fghijk  ", True),
        ("  abcde fghij  ", False),
    ],
)
def test_a_passphrase_has_12_to_200_signs_of_which_five_differ(text, holds):
    if holds:
        assert checked_passphrase(text) == text.strip()
    else:
        with pytest.raises(InputError, match="12 to 200 characters"):
            checked_passphrase(text)


def test_a_hint_is_short_and_a_name_is_one(office, phone):
    access = office.program.context.access
    access.set_passphrase(PASSPHRASE, "h" * 100)
    for hint in ("h" * 101, f"it is {PASSPHRASE.upper()}"):
        with pytest.raises(InputError, match="The hint is short"):
            access.set_passphrase(PASSPHRASE, hint)
    assert [phone.sign_in(who=who).status_code for who in ("", "   ", "x" * 21)] == [422] * 3
    assert phone.sign_in(who="x" * 20).status_code == 200


def test_the_oldest_of_too_many_sessions_is_signed_out(office):
    access = office.program.context.access
    tokens = [access.sign_in(PASSPHRASE, f"N{n}", "phone", "10.1.2.40").token for n in range(51)]
    assert access.visitor(tokens[0]) is None
    assert all(access.visitor(token) is not None for token in tokens[1:])


def test_what_wrong_guesses_cost_is_forgotten_after_a_quarter_of_an_hour():
    guesses = Guesses()
    for n in range(4):
        guesses.wrong("a", 1000.0 + n, False)
    with pytest.raises(TooOftenError) as refused:
        guesses.refuse_too_soon("a", 1004.0, False)
    assert refused.value.seen["wait_s"] == pytest.approx(1003.0 + 2.0 - 1004.0), "the fourth costs two seconds"
    guesses.refuse_too_soon("b", 1004.0, False)
    guesses.refuse_too_soon("a", 1005.1, False)
    for n in range(9):
        guesses.wrong("a", 1010.0 + n, False)
    with pytest.raises(TooOftenError):
        guesses.refuse_too_soon("a", 1018.0 + 290.0, False)
    guesses.refuse_too_soon("a", 1018.0 + 301.0, False)
    guesses.wrong("a", 1018.0 + 901.0, False)
    guesses.refuse_too_soon("a", 1018.0 + 901.0, False)
    assert [wait_after(n, 3) for n in (0, 2, 3, 4, 5, 12, 99)] == [0.0, 0.0, 1.0, 2.0, 4.0, 300.0, 300.0]
