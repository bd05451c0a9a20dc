"""A console cable: a serial device of the machine that Octaplan runs on, set as the type of the box says (TIA-232)."""

from __future__ import annotations

import asyncio
import codecs
import os
from typing import Final

import serial

from octaplan.core.plan.hardware import Console
from octaplan.link.channel import NoAnswer, NoCable

_PARITY: Final = {"none": serial.PARITY_NONE, "even": serial.PARITY_EVEN, "odd": serial.PARITY_ODD}
_STOP: Final = {1: serial.STOPBITS_ONE, 2: serial.STOPBITS_TWO}


class CableStream:
    """What goes over the cable, as text. Within one running loop; nobody else has the cable meanwhile."""

    def __init__(self, device: str, console: Console) -> None:
        """Raises `NoCable`."""
        try:
            self._serial = serial.Serial(
                device,
                console.speed,
                console.data_bits,
                _PARITY[console.parity],
                _STOP[console.stop_bits],
                timeout=0,
                xonxoff=console.flow_control == "software",
                rtscts=console.flow_control == "hardware",
                exclusive=True,
            )
        except (serial.SerialException, ValueError, OSError) as error:
            why = getattr(error, "strerror", None) or error
            raise NoCable(
                f"The console cable {device} cannot be used: {why}. Look whether it is plugged in, and whether "
                "somebody else has it"
            ) from None
        self._loop, self._decoder = asyncio.get_running_loop(), codecs.getincrementaldecoder("utf-8")("replace")
        self._got = asyncio.Queue[bytes]()
        self._loop.add_reader(self._serial.fileno(), self._readable)

    def _readable(self) -> None:
        try:
            self._got.put_nowait(os.read(self._serial.fileno(), 65_536))
        except BlockingIOError:
            return
        except OSError:
            self._loop.remove_reader(self._serial.fileno())
            self._got.put_nowait(b"")  # the cable was pulled out of this machine

    async def read(self) -> str:
        """What has come; empty when the cable is gone."""
        while True:
            got = await self._got.get()
            text = self._decoder.decode(got, final=not got)
            if text or not got:
                return text

    def write(self, text: str) -> None:
        """Send."""
        try:
            self._serial.write(text.encode())
        except (serial.SerialException, OSError) as error:
            raise NoAnswer(f"The console cable {self._serial.port} is gone: {error}") from None

    async def close(self) -> None:
        """Leave the cable to others."""
        if self._serial.is_open:
            self._loop.remove_reader(self._serial.fileno())
            self._serial.close()
