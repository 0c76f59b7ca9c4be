"""Serving the network: this machine's address on it, a certificate of its own, a server beside the loopback's."""

from __future__ import annotations

import ipaddress
import socket
import threading
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from wsgiref.types import WSGIApplication

import trustme
from cheroot.ssl.builtin import BuiltinSSLAdapter
from cheroot.wsgi import Server
from cryptography import x509
from cryptography.hazmat.primitives.hashes import SHA256

THREADS = 4
"""Of their own: who holds them all by dripping holds none of the laptop's."""
LONGEST_BODY = 130_000_000
"""Bytes of a request: the largest log that may be brought, and its form."""
LONGEST_HEADERS = 65_536
SHORTEST_LIFE = timedelta(days=30)
CERTIFICATE = "lan-certificate.pem"
SOMEWHERE = ("192.0.2.1", 9)
"""An address of documentation (RFC 5737): asked for the way to it, never sent to."""


def own_address() -> str:
    """This machine's address on its network. Raises OSError where it is on none."""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as asks:
        try:
            asks.connect(SOMEWHERE)
            address = str(asks.getsockname()[0])
        except OSError:
            address = ""
    if not address or ipaddress.ip_address(address).is_loopback or ipaddress.ip_address(address).is_unspecified:
        raise OSError("--lan: this machine is on no network; name its address with --lan ADDRESS if it is")
    return address


def checked_address(text: str) -> str:
    """An IPv4 address that somebody named. Raises OSError."""
    try:
        address = ipaddress.IPv4Address(text)
    except ValueError:
        raise OSError(f"--lan: {text!r} is no address such as 192.168.1.20") from None
    if address.is_unspecified or address.is_multicast or text == "127.0.0.1":
        raise OSError(f"--lan: {text} is not this machine's address on a network")
    return str(address)


def certificate(folder: Path, address: str) -> tuple[Path, str]:
    """The bench's own certificate with its key in one file, its owner's alone, and its SHA-256 fingerprint.

    It is kept, so that a phone which trusts it goes on doing so; made anew for another address or near its end.
    """
    file = folder / CERTIFICATE
    if not _serves(file, address):
        made = trustme.CA(organization_name="Hermotrope", organization_unit_name="this bench").issue_cert(address)
        file.unlink(missing_ok=True)
        file.touch(mode=0o600)
        file.write_bytes(made.private_key_and_cert_chain_pem.bytes())
    found = x509.load_pem_x509_certificate(_certificate_of(file))
    return file, ":".join(f"{byte:02X}" for byte in found.fingerprint(SHA256()))


def _certificate_of(file: Path) -> bytes:
    text = file.read_bytes()
    return text[text.index(b"-----BEGIN CERTIFICATE") :]


def _serves(file: Path, address: str) -> bool:
    try:
        found = x509.load_pem_x509_certificate(_certificate_of(file))
        names = found.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
    except (OSError, ValueError, x509.ExtensionNotFound):
        return False
    left = found.not_valid_after_utc - datetime.now(UTC)
    return ipaddress.ip_address(address) in names.get_values_for_type(x509.IPAddress) and left > SHORTEST_LIFE


@dataclass(frozen=True)
class Network:
    """Where phones find the bench."""

    address: str
    port: int
    pem: Path | None = None
    fingerprint: str = ""

    @classmethod
    def named(cls, address: str, port: int, certificates: Path | None) -> Network:
        """The network at this address (else the machine's own), encrypted where a folder for the certificate is given.

        Raises OSError where there is no such address.
        """
        here = checked_address(address) if address else own_address()
        pem, fingerprint = certificate(certificates, here) if certificates else (None, "")
        return cls(here, port, pem, fingerprint)

    @property
    def url(self) -> str:
        return f"{'https' if self.pem else 'http'}://{self.address}:{self.port}/"

    def serve(self, application: WSGIApplication) -> Callable[[], None]:
        """Serve in threads of their own; what it gives ends that. Raises OSError where the address cannot be had."""
        server = Server((self.address, self.port), application, numthreads=THREADS, server_name="hermotrope")
        server.max_request_body_size, server.max_request_header_size = LONGEST_BODY, LONGEST_HEADERS
        if self.pem is not None:
            server.ssl_adapter = BuiltinSSLAdapter(str(self.pem), str(self.pem))
        server.prepare()
        threading.Thread(target=server.serve, name="lan", daemon=True).start()
        stop: Callable[[], None] = server.stop
        return stop
