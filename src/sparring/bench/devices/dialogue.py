"""Text to an instrument and back: over a cable of ours, or over VISA for what has a VISA name."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any, Protocol

from sparring.bench import portlock
from sparring.bench.wire import Wire, open_wire

ANSWER = 0.5  # [s] that an instrument takes to answer at most
_OPEN = 2000  # [ms] for VISA to connect
_LONGEST = 4096  # bytes of a line


class Dialogue(Protocol):
    """An instrument that can be told something, and asked. Its errors are OSErrors."""

    def tell(self, text: str) -> None:
        """Sends a line."""

    def ask(self, question: str) -> str:
        """The line that comes after a question. Raises TimeoutError where none does."""

    def stray(self) -> str:
        """What has come without being asked for, taken away."""

    def fileno(self) -> int | None:
        """Of what another process could write to as well; None: there is nothing such."""

    def close(self) -> None:
        """Ends it."""


def open_dialogue(address: str, baud: int) -> Dialogue:
    """Of a VISA resource name (`USB0::…::INSTR`, `TCPIP0::host::INSTR`), or of an address of
    `open_wire`. Raises OSError or ValueError with the reason.
    """
    if "::" in address and not address.startswith(("tcp://", "unix:")):
        return _OverVisa(address, baud)
    return _OverWire(open_wire(address, baud))


class _OverWire:
    """Ours for sockets and serial ports: a write that is not taken ends, an end that was closed
    is known at once, and the last word shares it, none of which pyvisa-py 0.8 does.
    """

    def __init__(self, wire: Wire, clock: Callable[[], float] = time.monotonic) -> None:
        self._wire, self._clock, self._rest = wire, clock, b""

    def tell(self, text: str) -> None:
        self._wire.write(text.encode() + b"\n")

    def ask(self, question: str) -> str:
        self.tell(question)
        end = self._clock() + ANSWER
        while b"\n" not in self._rest:
            self._rest += self._wire.read()
            if len(self._rest) > _LONGEST:
                raise OSError("it sends without an end of line")
            if self._clock() > end and b"\n" not in self._rest:
                raise TimeoutError(f"no answer to “{question}” within {ANSWER:g} s")
        line, self._rest = self._rest.split(b"\n", 1)
        return line.decode("ascii", "replace").strip()

    def stray(self) -> str:
        came, self._rest = self._rest, b""
        while (more := self._wire.pending()) and len(came) < _LONGEST:
            came += more
        return came.decode("ascii", "replace").strip()

    def fileno(self) -> int | None:
        return self._wire.fileno()

    def close(self) -> None:
        self._wire.close()


class _OverVisa:
    """By PyVISA with its own pure Python library: USBTMC, VXI-11, HiSLIP, and whatever else has a
    VISA name.
    """

    def __init__(self, address: str, baud: int) -> None:
        import pyvisa

        self._error = pyvisa.errors.VisaIOError
        self._lock = portlock.take(address)
        try:
            manager: Any = pyvisa.ResourceManager("@py")
            self._resource = manager.open_resource(
                address,
                open_timeout=_OPEN,
                timeout=1000 * ANSWER,
                read_termination="\n",
                write_termination="\n",
            )
        except Exception as err:  # the libraries behind it raise many kinds
            self._unlock()
            raise OSError(str(err) or type(err).__name__) from err
        if address.upper().startswith("ASRL"):
            self._resource.baud_rate = baud
        # one that is sent in messages has nothing that could come unasked
        self._streams = address.upper().startswith("ASRL") or address.upper().endswith("::SOCKET")

    def tell(self, text: str) -> None:
        self._do(lambda: self._resource.write(text), text)

    def ask(self, question: str) -> str:
        return str(self._do(lambda: self._resource.query(question), question)).strip()

    def stray(self) -> str:
        if not self._streams:
            return ""
        came = b""
        self._resource.timeout = 1
        try:
            while len(came) < _LONGEST:
                came += self._resource.read_bytes(1)
        except self._error:
            pass
        finally:
            self._resource.timeout = 1000 * ANSWER
        return came.decode("ascii", "replace").strip()

    def fileno(self) -> int | None:
        return None

    def close(self) -> None:
        try:
            self._do(self._resource.close, "close")
        finally:
            self._unlock()

    def _unlock(self) -> None:
        if self._lock is not None:
            self._lock.close()

    def _do(self, what: Callable[[], Any], text: str) -> Any:
        from pyvisa.constants import StatusCode

        try:
            return what()
        except self._error as err:
            if err.error_code == StatusCode.error_timeout:
                raise TimeoutError(f"no answer to “{text}” within {ANSWER:g} s") from err
            raise OSError(err.description) from err
        except OSError:
            raise
        except Exception as err:
            raise OSError(str(err) or type(err).__name__) from err
