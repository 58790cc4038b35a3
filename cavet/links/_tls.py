"""TLS on TCP links: which certificates are shown, and whose are trusted."""

from __future__ import annotations

import ssl
from pathlib import Path

import msgspec

from cavet.wording import WrongError


class Tls(msgspec.Struct, frozen=True):
    """The board's side shows `certificate` with its `key`; the host's side trusts what `trust` has signed, or what the
    system trusts where that is empty. All are paths of PEM files.
    """

    certificate: str = ""
    key: str = ""
    trust: str = ""

    def server(self, place: str) -> ssl.SSLContext:
        """The board's side. Raises `WrongError` where a file can't be used."""
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        try:
            context.load_cert_chain(self.certificate, self.key or None)
        except (OSError, ssl.SSLError) as error:
            raise self._wrong(place, error) from error
        return context

    def client(self, place: str) -> ssl.SSLContext:
        """The host's side. Raises `WrongError` where a file can't be used."""
        context = ssl.create_default_context()
        try:
            if self.trust:
                context.load_verify_locations(self.trust)
        except (OSError, ssl.SSLError) as error:
            raise self._wrong(place, error) from error
        return context

    def _wrong(self, place: str, error: OSError) -> WrongError:
        missing = [path for path in (self.certificate, self.key, self.trust) if path and not Path(path).is_file()]
        found = f"{missing[0]}, which is not there" if missing else error.strerror or str(error)
        return WrongError(place, found=found, expected="certificate and key as PEM files")
