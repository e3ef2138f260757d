"""Every outcome of the connection test, provoked on the loopback."""

import ssl
import threading
from pathlib import Path

import pytest

from openstake.live import network, transport
from openstake.live.caster import Account, fetch_table, listen, may_push
from openstake.live.clock import VirtualClock
from openstake.live.transport import Outcome
from openstake.standin.caster import Caster
from openstake.wire.ntrip.http import ChunkReader, chunk, push_request
from openstake.wire.rtcm3.frame import frame_bytes
from tests import published

DATA = Path(__file__).parent.parent / "data"
CERTIFICATE = DATA / "loopback.pem"
HOST = "127.0.0.1"
# In virtual time over connections in memory; TLS and names are the host's.
VIRTUAL = network.outside_of(VirtualClock(1_795_564_790.0))


class Answering:
    """A server that says the same to whoever comes, and keeps what it was told."""

    def __init__(self, reply, tls=False, hold_s=0.0, on_host=False):
        self.told = b""
        self._reply, self._hold_s = reply, hold_s
        self._outside = network.HOST if tls or on_host else VIRTUAL
        self._stop = threading.Event()
        self._listener = self._outside.network.listen(HOST, 0)
        self.port = self._listener.getsockname()[1]
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER) if tls else None
        if context:
            context.load_cert_chain(CERTIFICATE)
        self._outside.clock.thread(self._run, "answering", context).start()

    def _run(self, context):
        while not self._stop.is_set():
            try:
                connection, _ = self._listener.accept()
            except OSError:
                return
            self._outside.clock.thread(self._serve, "answers", connection, context).start()

    def _serve(self, connection, context):
        try:
            connection = context.wrap_socket(connection, server_side=True) if context else connection
            connection.settimeout(0.1)
            self.told += connection.recv(1 << 16)
            connection.sendall(self._reply)
            for _ in range(round(self._hold_s / 0.1)):
                try:
                    self.told += connection.recv(1 << 16)
                except TimeoutError:
                    continue
        except OSError:
            pass
        finally:
            connection.close()

    def close(self):
        self._stop.set()
        self._listener.close()


@pytest.fixture
def answering():
    servers = []

    def make(reply, **more):
        servers.append(Answering(reply, **more))
        return servers[-1]

    yield make
    for server in servers:
        server.close()


@pytest.fixture
def caster():
    running = Caster(0, "crew", "word", VIRTUAL)
    yield running
    running.close()


@pytest.fixture
def base(caster):
    """A base that is connected to the caster as MOUNT and sends what it is given."""
    connection = VIRTUAL.network.connect(HOST, caster.port)
    connection.sendall(push_request(HOST, "MOUNT", "crew", "word"))
    assert b"200 OK" in connection.recv(4096)
    yield connection
    connection.close()


def account(port, password="word", **more):
    return Account(host=HOST, port=port, user="crew", password=password, **more)


OK = b"HTTP/1.1 200 OK\r\nNtrip-Version: Ntrip/2.0\r\nContent-Type: gnss/data\r\n\r\n"


def test_a_name_that_nobody_knows():
    assert listen(Account(host="no-such-caster.invalid", port=2101), "M", 1, network.HOST).outcome is Outcome.NAME_NOT_FOUND


def test_a_port_where_nothing_listens():
    heard = listen(account(9), "M", 1, VIRTUAL)

    assert heard.outcome is Outcome.REFUSED and not heard.connected


def test_a_server_that_takes_the_connection_and_says_nothing():
    silent = VIRTUAL.network.listen(HOST, 0)
    begun_s = VIRTUAL.clock.monotonic()
    assert listen(account(silent.getsockname()[1]), "M", 1, VIRTUAL).outcome is Outcome.TIMED_OUT
    assert VIRTUAL.clock.monotonic() - begun_s == network.CONNECT_TIMEOUT_S
    silent.close()


def test_a_plain_port_asked_for_encryption_and_a_certificate_nobody_vouches_for(answering):
    plain, encrypted = answering(b"HTTP/1.1 200 OK\r\n\r\n", on_host=True), answering(OK, tls=True)

    assert listen(account(plain.port, tls=True), "M", 1, network.HOST).outcome is Outcome.TLS_TROUBLE
    heard = listen(account(encrypted.port, tls=True), "M", 1, network.HOST)
    assert heard.outcome is Outcome.TLS_TROUBLE and "self-signed" in heard.sentence


def test_an_encrypted_stream_of_a_trusted_caster_is_heard(answering):
    server = answering(OK + published.RTCM_1005_EXAMPLE * 3, tls=True, hold_s=0.5)

    heard = listen(account(server.port, tls=True, ca_file=CERTIFICATE), "M", 1, network.HOST)

    assert heard.sending and heard.messages == (1005,)


def test_something_that_is_no_caster(answering):
    for reply in (b"SSH-2.0-x\r\n\r\n", b"", b"\x16\x03\x01\r\n\r\n"):
        assert listen(account(answering(reply).port), "M", 1, VIRTUAL).outcome is Outcome.NOT_A_CASTER
    assert listen(account(answering(b"HTTP/1.1 503 Busy\r\n\r\n").port), "M", 1, VIRTUAL).outcome is Outcome.OTHER_ANSWER


@pytest.mark.usefixtures("base")
def test_a_wrong_password_an_unknown_mountpoint_and_a_silent_one_are_three_things(caster):
    assert listen(account(caster.port, "wrong"), "MOUNT", 1, VIRTUAL).outcome is Outcome.UNAUTHORISED
    assert listen(account(caster.port), "ELSEWHERE", 1, VIRTUAL).outcome is Outcome.UNKNOWN_MOUNTPOINT
    silent = listen(account(caster.port), "MOUNT", 1, VIRTUAL)
    assert (silent.connected, silent.sending, silent.outcome) == (True, False, None)
    assert "silent" in silent.sentence


def test_what_arrives_is_named_with_its_station(caster, base):
    def send():
        VIRTUAL.clock.sleep(0.3)
        base.sendall(chunk(published.RTCM_1005_EXAMPLE * 2))

    VIRTUAL.clock.thread(send, "sender").start()

    heard = listen(account(caster.port), "MOUNT", 2, VIRTUAL)

    assert heard.connected and heard.sending and heard.frames == 2 and heard.messages == (1005,)
    # RTCM 10403.x, the standard's example.
    assert heard.positions[0].station_id == published.RTCM_1005_STATION[0]
    assert not heard.positions[0].virtual


def test_a_stream_is_listened_to_until_its_position_must_have_come(caster, base):
    """Common practice, no source: a base sends its position every ten seconds; a busy line may lose one."""

    def send():
        for _ in range(19):
            VIRTUAL.clock.sleep(1.0)
            base.sendall(chunk(frame_bytes((1230 << 4).to_bytes(2, "big") + bytes(6))))
        base.sendall(chunk(published.RTCM_1005_EXAMPLE))

    VIRTUAL.clock.thread(send, "sender").start()

    heard = listen(account(caster.port), "MOUNT", 2, VIRTUAL)

    assert heard.messages == (1005, 1230) and len(heard.positions) == 1


def test_bytes_that_are_no_frames_are_not_taken_for_sending(answering):
    heard = listen(account(answering(OK + b"$GPGGA,hello*00\r\n" * 5, hold_s=0.3).port), "M", 0.5, VIRTUAL)

    assert heard.connected and not heard.sending and "no frame" in heard.sentence


def test_a_position_is_sent_up_at_once(answering):
    server = answering(OK, hold_s=1.0)

    heard = listen(account(server.port), "VRS", 1, VIRTUAL, lambda: b"$GNGGA,position*00\r\n")

    assert heard.gga_sent == 1 and b"$GNGGA,position" in server.told


def test_the_two_lights_of_a_base_that_pushes(caster):
    assert may_push(account(caster.port), "NEW", VIRTUAL).connected and not may_push(account(caster.port), "NEW", VIRTUAL).sending
    refused = may_push(account(caster.port, "wrong"), "NEW", VIRTUAL)
    assert (refused.connected, refused.outcome) == (False, Outcome.UNAUTHORISED)


@pytest.mark.usefixtures("base")
def test_a_mountpoint_in_use_is_a_base_that_is_connected(caster):
    found = may_push(account(caster.port), "MOUNT", VIRTUAL)

    assert found.connected and "already" in found.sentence


@pytest.mark.usefixtures("base")
def test_a_table_is_fetched_whole(caster):
    table = fetch_table(account(caster.port), VIRTUAL)

    assert table.whole and [row.mountpoint for row in table.rows] == ["MOUNT"]


@pytest.mark.parametrize("reply", [b"HTTP/1.1 200 OK\r\n\r\n<html>hello</html>", b"HTTP/1.1 404 Not Found\r\n\r\n"])
def test_a_page_in_place_of_a_table_is_refused(answering, reply):
    with pytest.raises(transport.DeviceError, match="sign-in page" if b"html" in reply else "not with a source table"):
        fetch_table(account(answering(reply).port), VIRTUAL)


SIGN_IN = (
    b"HTTP/1.1 200 OK\r\nContent-Type: text/html; charset=utf-8\r\n\r\n<!doctype html><title>Guest Wi-Fi</title>",
    b"HTTP/1.1 200 OK\r\n\r\n\n <HTML>",
    b"HTTP/1.1 302 Found\r\nLocation: http://wifi.example/sign-in\r\n\r\n",
    b"HTTP/1.1 511 Network Authentication Required\r\n\r\n",
)


@pytest.mark.parametrize("reply", SIGN_IN)
def test_a_sign_in_page_in_front_of_the_caster_is_told_as_one(answering, reply):
    """RFC 6585, section 6 and its appendix: what networks do before one has signed in."""
    heard = listen(account(answering(reply).port), "M", 1, VIRTUAL)
    assert (heard.connected, heard.outcome) == (False, Outcome.NOT_A_CASTER)
    assert "sign-in page" in heard.sentence and "browser" in heard.sentence


@pytest.mark.parametrize("size", [b"-5", b"0x10", b"1_0", b"+5", b"zz", b"", b"FFFFFFFFFF", b"\xd3\x00", b"5 5"])
def test_garbled_chunks_are_not_taken(answering, size):
    """RFC 9112, section 7.1: chunk-size is hexadecimal digits; CRLF ends a chunk."""
    head = OK[:-2] + b"Transfer-Encoding: chunked\r\n\r\n"
    frame = chunk(published.RTCM_1005_EXAMPLE)
    for body in (frame + size + b"\r\n" + published.RTCM_1005_EXAMPLE, frame[:-2] + b"xx" + frame):
        reader, read = ChunkReader(), b""
        with pytest.raises(ValueError):
            for piece in reader.feed(body):
                read += piece
        assert read == published.RTCM_1005_EXAMPLE, "what came before is whole"
    heard = listen(account(answering(head + size + b"\r\nxx", hold_s=0.3).port), "M", 0.5, VIRTUAL)
    assert heard.connected and not heard.sending and "garbled" in heard.sentence
