"""The serial ports of this machine, with what the operating system says of them."""

from __future__ import annotations

from dataclasses import dataclass
from urllib.parse import quote

from serial.tools import list_ports

from openstake.wire.address import USUAL_BAUD


@dataclass(frozen=True)
class SerialPort:
    """A serial port: its name, what it says it is, and the address under which it is listened to."""

    name: str
    description: str
    url: str


def serial_ports() -> list[SerialPort]:
    """Return the serial ports that are there now: cables, and Bluetooth once it is paired."""
    return [
        SerialPort(
            port.device,
            port.description if port.description not in ("", "n/a") else "no description",
            f"serial://{quote(port.device)}?baud={USUAL_BAUD}",
        )
        for port in sorted(list_ports.comports(), key=lambda port: port.device)
    ]
