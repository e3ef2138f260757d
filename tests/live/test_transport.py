"""Devices on every kind of wire: a pty in place of a serial port, TCP in and out, UDP; unplugged, and back."""

import os
import pty
import socket
import threading
import time
import tty

import pytest

from openstake.core.errors import DeviceError, InputError
from openstake.live import transport
from openstake.live.feed import Feed, FeedState
from openstake.live.network import HOST
from openstake.live.ports import serial_ports
from openstake.live.transport import open_source
from openstake.wire.address import serial_baud, serial_name, split_url
from tests.conftest import wait_for


class Wire:
    """A serial cable without a device: a pty behind a name that can be plugged out and in."""

    def __init__(self, path):
        self.path = path
        self.plug_in()

    def plug_in(self):
        self.device, end = pty.openpty()
        tty.setraw(self.device)
        tty.setraw(end)
        self._end = end
        self.path.unlink(missing_ok=True)
        self.path.symlink_to(os.ttyname(end))

    def send(self, data):
        os.write(self.device, data)

    def unplug(self):
        os.close(self._end)
        os.close(self.device)
        self.path.unlink(missing_ok=True)


@pytest.fixture
def wire(tmp_path):
    made = Wire(tmp_path / "ttyX")
    yield made
    if made.path.is_symlink():
        made.unplug()


def free_port(kind=socket.SOCK_STREAM):
    with socket.socket(socket.AF_INET, kind) as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


def read_all(source, size, seconds=5.0):
    data, end = b"", time.monotonic() + seconds
    while len(data) < size and time.monotonic() < end:
        data += source.read(0.1)
    return data


def test_a_serial_port_is_read_as_it_comes(wire):
    source = open_source(f"serial://{wire.path}?baud=9600", None, HOST)
    wire.send(b"$GPGGA,1\r\n" * 50)
    assert read_all(source, 500) == b"$GPGGA,1\r\n" * 50
    assert source.read(0.05) == b""
    source.close()
    source.close()


def test_a_serial_port_is_ours_alone(wire):
    source = open_source(f"serial://{wire.path}", None, HOST)
    with pytest.raises(DeviceError, match="another program uses it"):
        open_source(f"serial://{wire.path}", None, HOST)
    source.close()


def test_a_device_that_is_unplugged_and_plugged_in_again_goes_on(wire):
    received, said = bytearray(), []
    feed = Feed(f"serial://{wire.path}", None, None, lambda data, _: received.extend(data), lambda status: said.append(status), HOST)
    feed.start()
    try:
        wait_for(lambda: feed.status.state is FeedState.CONNECTED, 5)
        assert "115200 baud" in feed.status.sentence
        wire.send(b"before")
        wait_for(lambda: bytes(received) == b"before", 5)
        wire.unplug()
        wait_for(lambda: feed.status.state is FeedState.BROKEN, 5)
        assert "unplugged" in feed.status.sentence or "cannot be opened" in feed.status.sentence
        wire.plug_in()
        wait_for(lambda: feed.status.state is FeedState.CONNECTED, 8)
        wire.send(b" after")
        wait_for(lambda: bytes(received) == b"before after", 5)
    finally:
        feed.stop()
        feed.join(2.0)


def test_a_port_that_is_not_there_says_so():
    with pytest.raises(DeviceError, match="No such file"):
        open_source("serial:///dev/ttyNothing", None, HOST)


def test_a_device_connects_to_a_port_of_ours_leaves_and_comes_back():
    port = free_port()
    source = open_source(f"tcp-listen://:{port}", None, HOST)
    with socket.create_connection(("127.0.0.1", port)) as first:
        first.sendall(b"one")
        assert read_all(source, 3) == b"one"
        with socket.create_connection(("127.0.0.1", port)) as second:
            source.read(0.1)
            assert second.recv(10) == b"", "one device at a time"
    source.read(0.2)
    with socket.create_connection(("127.0.0.1", port)) as again:
        again.sendall(b"two")
        assert read_all(source, 3) == b"two"
    source.close()


def test_a_device_that_fell_silent_without_a_word_gives_way(monkeypatch):
    """A device out of reach closes no connection; when it dials again the old one must not stand in its way."""
    monkeypatch.setattr(transport, "SENDER_GONE_S", 0.2)
    port = free_port()
    source = open_source(f"tcp-listen://:{port}", None, HOST)
    with socket.create_connection(("127.0.0.1", port)) as gone:
        gone.sendall(b"one")
        assert read_all(source, 3) == b"one"
        time.sleep(0.3)
        with socket.create_connection(("127.0.0.1", port)) as again:
            again.sendall(b"two")
            assert read_all(source, 3) == b"two"
    source.close()


def test_the_first_sender_of_datagrams_alone_is_heard():
    port = free_port(socket.SOCK_DGRAM)
    source = open_source(f"udp://:{port}", None, HOST)
    first, second = socket.socket(socket.AF_INET, socket.SOCK_DGRAM), socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    for sender, data in ((first, b"mine1"), (second, b"other"), (first, b"mine2")):
        sender.sendto(data, ("127.0.0.1", port))
    assert read_all(source, 10) == b"mine1mine2"
    for one in (first, second):
        one.close()
    source.close()


def test_a_port_of_ours_is_on_this_machine_alone_without_an_address():
    port = free_port()
    source = open_source(f"tcp-listen://:{port}", None, HOST)
    assert source._listener.getsockname()[0] == "127.0.0.1"
    source.close()
    with pytest.raises(DeviceError, match=r"192\.0\.2\.1 cannot be opened"):  # TEST-NET-1 of RFC 5737: never ours
        open_source(f"tcp-listen://192.0.2.1:{port}", None, HOST)


def test_two_listeners_on_one_port_are_refused():
    port = free_port(socket.SOCK_DGRAM)
    source = open_source(f"udp://:{port}", None, HOST)
    with pytest.raises(DeviceError, match="cannot be opened"):
        open_source(f"udp://:{port}", None, HOST)
    source.close()


@pytest.mark.parametrize(
    ("url", "words"),
    [
        ("serial://", "no serial port"),
        ("serial:///dev/x?baud=fast", "serial rate"),
        ("serial:///dev/x?boud=9600", "'boud'"),
        ("udp://", "lacks"),
        ("udp://:0", "lacks"),
        ("udp://:70000", "valid port"),
        ("tcp-listen://host", "lacks"),
        ("tcp://host:50/path", "more than a host and a port"),
        ("tcp://user@host:50", "more than a host and a port"),
        ("replay:///x?speed=fast", "replay speed"),
        ("replay:///x?seconds=1", "'seconds'"),
        ("bluetooth://x", "not an address"),
        ("ntrip://host:2101", "no mountpoint"),
        ("tcp://a:1/tcp://b:2", "more than one"),
    ],
)
def test_an_address_that_cannot_be_one_is_refused_with_its_reason(url, words):
    with pytest.raises(InputError, match=words):
        split_url(url)


def test_names_of_serial_ports_keep_their_letters():
    assert serial_name(split_url("serial://COM3?baud=9600")) == "COM3"
    assert serial_name(split_url("serial:///dev/serial/by-id/usb-A%20B")) == "/dev/serial/by-id/usb-A B"
    assert serial_baud(split_url("serial:///dev/ttyX")) == 115_200


def test_the_ports_of_this_machine_are_addresses():
    for port in serial_ports():
        assert serial_name(split_url(port.url)) == port.name and port.description


def test_a_closed_source_does_not_hang_its_reader(wire):
    source = open_source(f"serial://{wire.path}", None, HOST)
    threading.Timer(0.2, source.close).start()
    end = time.monotonic() + 3.0
    with pytest.raises(DeviceError):
        while time.monotonic() < end:
            source.read(0.25)
    assert time.monotonic() < end
