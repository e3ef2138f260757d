"""Devices that can be listened to: the serial ports of this machine."""

from __future__ import annotations

from dataclasses import dataclass

from openstake.live.ports import SerialPort, serial_ports


@dataclass(frozen=True)
class Ports:
    """The serial ports that are there now."""

    ports: list[SerialPort]


def ports() -> Ports:
    """Return what this machine has."""
    return Ports(serial_ports())
