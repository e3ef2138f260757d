"""Devices that can be listened to: the serial ports of this machine."""

from __future__ import annotations

from dataclasses import dataclass

from openstake.live.ports import SerialPort, serial_ports


@dataclass(frozen=True)
class Ports:
    """The serial ports that are there now, and how every other address is written."""

    ports: list[SerialPort]
    forms: list[str]


FORMS = [
    "serial:///dev/rfcomm0?baud=115200", "tcp://192.168.1.20:5017", "tcp-listen://192.168.1.10:5017", "udp://192.168.1.10:5017",
    "ntrip://user@host:2101/MOUNT", "replay:///path/to/log.nmea?speed=10",
]  # fmt: skip


def ports() -> Ports:
    """Return what this machine has."""
    return Ports(serial_ports(), FORMS)
