"""`openstake serve --lan`: two doors in one process; the one on the network speaks TLS, asks for the passphrase, and is kept waiting by nobody."""

import http.client
import json
import os
import pty
import re
import signal
import socket
import ssl
import stat
import threading
import time
from itertools import pairwise

import pytest

from openstake.store.access import is_passphrase, read_access
from openstake.webserver import addresses_here
from tests import processes

pytestmark = pytest.mark.slow

PASSPHRASE = "wet boots and lath"


class Served:
    """A program with both doors, and the way to ask at each."""

    def __init__(self, folder, *more):
        command = ["serve", "--port", "0", "--data", str(folder)]
        self.folder = folder
        self.process = processes.Popen(
            [*command, "--lan", "--lan-port", "0", *more],
            stdout=processes.PIPE,
            stderr=processes.STDOUT,
            stdin=processes.DEVNULL,
            text=True,
        )
        found = re.search(r"127\.0\.0\.1:(\d+)/\?door=(\S+)", self.process.stdout.readline())
        self.here, self.token = int(found[1]), found[2]
        found = re.search(r"https://(\S+):(\d+)", self.process.stdout.readline())
        self.address, self.port = found[1], int(found[2])
        self.trusting = ssl.create_default_context(cafile=str(folder / "tls" / "root.pem"))

    def ask_here(self, method, path, body=None):
        return self._ask(
            http.client.HTTPConnection("127.0.0.1", self.here, timeout=20), method, path, body, {"Authorization": f"Bearer {self.token}"}
        )

    def ask(self, method, path, body=None, **headers):
        return self._ask(self.connection(), method, path, body, headers)

    def connection(self):
        return http.client.HTTPSConnection(self.address, self.port, timeout=20, context=self.trusting)

    def _ask(self, connection, method, path, body, headers):
        sent = None if body is None else json.dumps(body)
        connection.request(method, f"/api{path}", sent, {"Content-Type": "application/json"} | headers)
        answer = connection.getresponse()
        text = answer.read()
        return answer.status, json.loads(text) if text else None, answer.headers

    def sign_in(self):
        _, session, headers = self.ask("POST", "/session", {"passphrase": PASSPHRASE, "who": "MK"})
        return {"Cookie": headers["Set-Cookie"].partition(";")[0], "X-CSRF-Token": session["csrf"]}

    def stop(self):
        self.process.send_signal(signal.SIGTERM)
        assert self.process.wait(15) == 0


@pytest.fixture(scope="module")
def served(tmp_path_factory):
    served = Served(tmp_path_factory.mktemp("lan") / "data", "--lan-address", "127.0.0.1")
    wish = {"passphrase": PASSPHRASE, "again": PASSPHRASE}
    assert served.ask_here("POST", "/hand/passphrase", wish)[0] == 200
    yield served
    served.stop()


def test_the_network_s_door_speaks_tls_and_trusts_nobody(served):
    assert served.ask("GET", "/jobs")[0] == 401
    assert served.ask("GET", "/jobs", **served.sign_in())[0] == 200
    assert served.ask_here("GET", "/jobs")[0] == 200
    with socket.create_connection((served.address, served.port), 10) as plain:
        plain.sendall(f"GET /api/jobs HTTP/1.1\r\nHost: {served.address}:{served.port}\r\n\r\n".encode())
        assert b"200" not in plain.recv(100)
    with pytest.raises(ssl.SSLCertVerificationError):
        http.client.HTTPSConnection(served.address, served.port, timeout=5).request("GET", "/")


@pytest.mark.filterwarnings("ignore:ssl.TLSVersion")
def test_nothing_older_than_tls_1_2_is_spoken(served):
    """RFC 8996 deprecates TLS 1.0 and 1.1."""
    context = ssl.create_default_context(cafile=str(served.folder / "tls" / "root.pem"))
    context.minimum_version = context.maximum_version = ssl.TLSVersion.TLSv1_1
    with pytest.raises(ssl.SSLError), socket.create_connection((served.address, served.port), 5) as plain:
        context.wrap_socket(plain, server_hostname=served.address)


def test_strangers_who_hold_sockets_keep_nobody_waiting(served):
    """200 silent sockets of one address and 50 of each of five more: they held the owner off for 119 s once."""
    at = (served.address, served.port)
    begun = b"POST /api/session HTTP/1.1\r\nHost: x\r\nContent-Length: 900\r\n\r\n{"
    held = []
    try:
        for address, count in (("127.0.0.11", 200), *((f"127.0.0.{12 + n}", 50) for n in range(5))):
            held += [socket.create_connection(at, source_address=(address, 0)) for _ in range(count)]
        # One in ten begins a handshake and stops; some shake hands, and begin a request or a body.
        for one in held[::10]:
            one.sendall(b"\x16\x03\x01")
        for n in range(20):
            talker = socket.create_connection(at, source_address=("127.0.0.31", 0))
            talker = served.trusting.wrap_socket(talker, server_hostname=served.address)
            talker.sendall(begun if n % 2 else begun[:30])
            held.append(talker)
        begun_s = time.monotonic()
        assert served.ask("GET", "/session")[0] == 401
        pass_ = served.sign_in()
        assert served.ask("GET", "/jobs", **pass_)[0] == 200
        # Threads that wait for strangers would take minutes; how many seconds a busy machine takes proves nothing.
        assert time.monotonic() - begun_s < 15
        assert served.ask_here("GET", "/jobs")[0] == 200
    finally:
        for one in held:
            one.close()


def test_a_request_that_comes_in_parts_is_answered(served):
    with served.trusting.wrap_socket(socket.create_connection((served.address, served.port)), server_hostname=served.address) as one:
        head = f"GET /api/jobs HTTP/1.1\r\nHost: {served.address}:{served.port}\r\n\r\n".encode()
        for part in (head[:7], head[7:-2], head[-2:], head + head):  # the last two at once: each has its answer
            one.sendall(part)
            time.sleep(0.05)
        said = b""
        while said.count(b"Not signed in") < 3:
            part = one.recv(4096)
            assert part, said
            said += part
    with socket.create_connection((served.address, served.port)) as plain:
        plain.sendall(b"GET / HTTP/1.1\r\nHost: x\r\n\r\n")
        assert b"TLS only" in plain.recv(1000)


def test_twenty_connections_are_kept_between_requests(served):
    """A phone that asks again need not shake hands again; the web server's own limit is ten of all."""
    pass_, kept = served.sign_in(), [served.connection() for _ in range(20)]
    for _ in range(2):
        for connection in kept:
            connection.request("GET", "/api/jobs", headers=pass_)
            answer = connection.getresponse()
            assert answer.status == 200 and answer.read() and answer.headers.get("Connection", "").lower() != "close"
    assert len({connection.sock.getsockname() for connection in kept}) == 20


def test_who_has_not_sent_a_request_after_some_seconds_is_sent_away(served):
    with socket.create_connection((served.address, served.port)) as silent:
        silent.settimeout(60)
        assert silent.recv(10) == b""


def test_the_event_streams_of_an_ended_session_end_with_it(served):
    pass_ = served.sign_in()
    wish = {"name": "On the air", "system": {"kind": "code", "code": 2157}, "length_unit": "m"}
    _, job, _ = served.ask("POST", "/jobs", wish, **pass_)
    connection = served.connection()
    connection.request("GET", f"/api/jobs/{job['id']}/events", headers=pass_)
    stream = connection.getresponse()
    assert stream.status == 200 and stream.readline().startswith(b"retry")
    came = []
    reader = threading.Thread(target=lambda: came.append(stream.read()), daemon=True)
    reader.start()

    assert served.ask_here("POST", "/hand/end", {})[0] == 200
    reader.join(20)

    assert came and came[0].rstrip().endswith(b"retry: 60000")
    assert served.ask("GET", "/jobs", **pass_)[0] == 401


def test_a_stream_says_at_least_every_two_seconds_that_the_program_is_there(served):
    pass_ = served.sign_in()
    job = served.ask("GET", "/jobs", **pass_)[1]["jobs"][0]["id"]
    connection = served.connection()
    connection.request("GET", f"/api/jobs/{job}/events", headers=pass_)
    stream = connection.getresponse()
    times = []
    while len(times) < 4:
        line = stream.readline()
        if line.startswith(b'data: {"now_s"'):
            times.append(json.loads(line[6:])["now_s"])
    connection.close()

    assert all(0.0 <= after - before < 5.0 for before, after in pairwise(times))
    assert abs(times[-1] - time.time()) < 10


def test_no_passphrase_and_no_key_stands_in_what_is_printed_or_logged(served):
    log = (served.folder / "program.log").read_text()
    assert PASSPHRASE not in log and "PRIVATE KEY" not in log
    for path in (served.folder / "access.json", served.folder / "tls" / "root.key", served.folder / "tls" / "leaf.key"):
        assert stat.S_IMODE(path.stat().st_mode) == 0o600
    assert not [path for path in (served.folder / "backups").rglob("*") if path.name in ("access.json", "root.key")]


def test_at_the_first_start_in_a_terminal_the_passphrase_is_asked_for(tmp_path):
    """It is typed twice and shown nowhere: the terminal's echo is off while it is typed."""
    ours, theirs = pty.openpty()
    command = ["serve", "--port", "0", "--lan", "--lan-port", "0", "--data", str(tmp_path / "data")]
    process = processes.Popen(command, stdin=theirs, stdout=theirs, stderr=theirs, start_new_session=True)
    said = b""
    try:
        # The first one is too short: it is asked for again.
        for typed, times in ((b"short", 1), (PASSPHRASE.encode(), 2), (PASSPHRASE.encode(), 3)):
            while said.count(b"Passphrase for phones") + said.count(b"Repeat") < times:
                said += os.read(ours, 1000)
            os.write(ours, typed + b"\n")
        while b"Open Stake on" not in said:
            said += os.read(ours, 1000)
    finally:
        process.send_signal(signal.SIGTERM)
        process.wait(15)
    assert PASSPHRASE.encode() not in said
    assert is_passphrase(PASSPHRASE, read_access(tmp_path / "data").passphrase)


def test_all_addresses_of_the_machine_are_answered_on(tmp_path):
    here = addresses_here()
    if not here:
        pytest.skip("this machine has no address on a network")
    served = Served(tmp_path / "data")
    try:
        assert served.address in here
        assert served.ask("GET", "/jobs")[0] == 401
    finally:
        served.stop()


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["--lan-address", "127.0.0.1"], "can only be used with --lan"),
        (["--lan", "--certificate", "x.pem"], "belong together"),
        (["--lan", "--certificate", "no.pem", "--key", "no.key"], "cannot be read as a certificate"),
        (["--lan", "--lan-address", "abc"], "cannot be opened"),
    ],
)
def test_what_cannot_be_served_is_a_sentence_and_exit_2(tmp_path, arguments, words):
    command = ["serve", "--port", "0", "--lan-port", "0", "--data", str(tmp_path / "data")]
    done = processes.run([*command, *arguments], capture_output=True, text=True, timeout=60, stdin=processes.DEVNULL)

    assert done.returncode == 2 and words in done.stderr
    assert "Traceback" not in done.stderr
