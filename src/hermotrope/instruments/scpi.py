"""One instrument, asked in SCPI through PyVISA; every way in which it can fail is told in words."""

from __future__ import annotations

import math
import re
import socket
import threading
from contextlib import suppress
from ipaddress import ip_address
from types import TracebackType
from typing import Any

import pyvisa
from pyvisa.constants import StatusCode

from hermotrope_core.prove.judge import OVERLOAD

TIMEOUT_MS = 3000
LONGEST_REPLY = 4_000_000
LONGEST_S = 15.0
"""For the whole of an answer: a peer that drips a byte now and then holds nobody longer."""
CHUNK = 65_536
_RESOURCE = re.compile(r"^(TCPIP\d*|USB\d*|ASRL[\w/.-]*|GPIB\d*)(::[\w.:/ \[\]-]{1,80})+$", re.IGNORECASE)
_SERIAL = re.compile(r"^ASRL(\d+|COM\d+|/dev/(?:tty|cu)[\w.-]+|/dev/serial/by-\w+/[\w:-]+)::INSTR$", re.IGNORECASE)
"""Serial ports, and no other file of this machine."""
_HOST = re.compile(r"^(TCPIP\d*::)([^:]+)", re.IGNORECASE)
_RAW = re.compile(r"^TCPIP\d*::([^:]+)::(\d{1,5})::SOCKET$", re.IGNORECASE)


class InstrumentError(Exception):
    """An instrument that cannot be used just now; the message is for people."""


class Lost(InstrumentError):
    """The connection is gone or was never there."""


def checked_resource(text: str) -> str:
    """A resource name as PyVISA takes it. Raises `InstrumentError` for anything else."""
    name = text.strip()
    if not _RESOURCE.match(name) or (name.upper().startswith("ASRL") and not _SERIAL.match(name)):
        raise InstrumentError(
            "that is no resource name; for example TCPIP0::192.168.1.20::5025::SOCKET or ASRL/dev/ttyUSB0::INSTR"
        )
    return name


class Instrument:
    """An open connection, closed on leaving the block. Raises `Lost` where nobody answers."""

    def __init__(self, resource: str, timeout_ms: int = TIMEOUT_MS) -> None:
        self.name = checked_resource(resource)
        self._usual_ms = timeout_ms
        try:
            near = _near(self.name)
            _reachable(near, timeout_ms / 1000.0)
            self._manager = pyvisa.ResourceManager("@py")
            self._port: Any = self._manager.open_resource(
                near, read_termination="\n", write_termination="\n", timeout=timeout_ms, open_timeout=timeout_ms
            )
        except (pyvisa.Error, OSError, ValueError) as error:
            raise Lost(f"no instrument answers at {self.name} ({_words(error)})") from None

    def __enter__(self) -> Instrument:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        """Let go of the instrument; what fails then does not matter."""
        with suppress(pyvisa.Error, OSError):
            self._port.close()

    def tell(self, command: str) -> None:
        """Send a command that has no answer."""
        try:
            self._port.write(command)
        except (pyvisa.Error, OSError) as error:
            raise Lost(f"the connection to {self.name} broke ({_words(error)})") from None

    def ask(self, query: str, wait_ms: int | None = None) -> str:
        """The answer to a query, stripped; `wait_ms` for one that takes longer than this connection's others."""
        waits = wait_ms or self._usual_ms
        try:
            self._port.timeout = waits
            self._port.write(query)
            reply = self._answer(query)
        except pyvisa.VisaIOError as error:
            if error.error_code == StatusCode.error_timeout:
                raise InstrumentError(f"{self.name} does not answer {query} in {waits / 1000:g} s") from None
            raise Lost(f"the connection to {self.name} broke ({_words(error)})") from None
        except (pyvisa.Error, OSError) as error:
            raise Lost(f"the connection to {self.name} broke ({_words(error)})") from None
        except UnicodeDecodeError:
            raise InstrumentError(f"{self.name} answered {query} with something that is no text") from None
        return reply.strip()[:LONGEST_REPLY]

    def _answer(self, query: str) -> str:
        """One answer: whole within `LONGEST_S` and `LONGEST_REPLY` bytes, however it drips or streams."""
        late = threading.Event()

        def give_up() -> None:
            late.set()
            self.close()  # whoever waits for it in this moment is let go

        watch = threading.Timer(LONGEST_S, give_up)
        watch.daemon = True
        watch.start()
        got = bytearray()
        try:
            while True:
                with self._port.ignore_warning(StatusCode.success_max_count_read):
                    chunk, status = self._port.visalib.read(self._port.session, CHUNK)
                got += chunk
                if len(got) > LONGEST_REPLY:
                    raise InstrumentError(f"{self.name} answers {query} without end")
                if status != StatusCode.success_max_count_read:
                    return got.decode("ascii")
        except (pyvisa.Error, OSError, ValueError, TypeError, AttributeError) as error:
            if late.is_set():
                told = f"{self.name} took more than {LONGEST_S:g} s to answer {query}, so it was left"
                raise InstrumentError(told) from None
            if isinstance(error, pyvisa.Error | OSError | UnicodeDecodeError):
                raise
            raise Lost(f"the connection to {self.name} broke ({_words(error)})") from None
        finally:
            watch.cancel()

    def number(self, query: str) -> float:
        """The answer as a number; infinite for an overload (9.9e37). Raises `InstrumentError` for nonsense."""
        return number_in(self.ask(query), query, self.name)

    def numbers(self, query: str) -> list[float]:
        """The answer as numbers separated by commas; empty where nothing came.

        A long one, and often the only one of its kind (what a logger has handed over it forgets), is waited for.
        """
        reply = self.ask(query, round(1000 * LONGEST_S))
        return [number_in(part, query, self.name) for part in reply.split(",")] if reply else []


def _near(name: str) -> str:
    """The resource name with its host as an address of this machine or of the network around it.

    A host that is named is looked up once, so that no second answer leads elsewhere. Raises `InstrumentError` for one
    far away, OSError for one that nobody knows.
    """
    match = _HOST.match(name)
    if not match:
        return name
    _, _, _, _, (host, *_) = socket.getaddrinfo(match[2], None, socket.AF_INET, socket.SOCK_STREAM)[0]
    address = ip_address(host)
    if not (address.is_private or address.is_link_local) or address.is_multicast or address.is_unspecified:
        raise InstrumentError(
            f"{match[2]} is not on this machine nor on the network around it: only instruments there are asked"
        )
    return f"{match[1]}{host}{name[match.end() :]}"


def _reachable(name: str, timeout_s: float) -> None:
    """Raise OSError where nobody listens on a raw socket, which PyVISA's Python backend does not notice."""
    match = _RAW.match(name)
    if match:
        socket.create_connection((match[1], int(match[2])), timeout_s).close()


def number_in(reply: str, query: str, name: str) -> float:
    """One number of a reply. Raises `InstrumentError`."""
    try:
        value = float(reply)
    except ValueError:
        raise InstrumentError(f"{name} answered {query} with {reply[:40]!r}, which is no number") from None
    if math.isnan(value):
        raise InstrumentError(f"{name} answered {query} with not-a-number: it had nothing to measure")
    if abs(value) >= OVERLOAD:
        return math.copysign(math.inf, value)
    return value


def _words(error: BaseException) -> str:
    text = str(getattr(error, "description", None) or error)
    return " ".join(text.split())[:120] or type(error).__name__
