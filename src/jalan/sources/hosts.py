"""Servers that sources may reach: by default all but this machine itself and what is only on its own link.

A name is looked up once, here, and what connects goes to the address that was checked: a name that answers
otherwise a second time leads nowhere else.
"""

import ipaddress
import re
import socket
from dataclasses import dataclass
from fnmatch import fnmatchcase

from jalan.sources.errors import SourceError

_ODD = re.compile(r"[\x00-\x20,/\\@?#%]")


@dataclass(frozen=True, slots=True)
class Hosts:
    """allowed: names or addresses, also with ``:port``, also with ``*``; none lets everything be reached.

    The single word ``*`` lets all be reached that is not this machine and not link-local; those must be named.
    """

    allowed: tuple[str, ...] | None = None

    def address(self, host: str, port: int) -> str:
        """Return the address to connect to. Raises SourceError where it may not be reached, or has none."""
        if host.startswith("/"):  # a socket of this machine
            if self.allowed is None or host in self.allowed:
                return host
            raise self._refusal(host, port)
        if _ODD.search(host) or not host:
            raise SourceError(f"“{host}” is no name of a server")
        try:
            found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
        except (OSError, UnicodeError) as error:
            if not self._named(host, port) and self.allowed is not None and "*" not in self.allowed:
                raise self._refusal(host, port) from error
            raise SourceError(f"{host}: no server of this name is known") from error
        addresses = [str(entry[4][0]) for entry in found]
        if self.allowed is None or self._named(host, port):
            return addresses[0]
        for address in addresses:
            if not self._named(address, port) and ("*" not in self.allowed or _is_near(address)):
                raise self._refusal(host, port)
        return addresses[0]

    def _named(self, host: str, port: int) -> bool:
        given = host.lower().rstrip(".")
        return any(
            fnmatchcase(given, one) or fnmatchcase(f"{given}:{port}", one)
            for one in map(str.lower, self.allowed or ())
            if one != "*"
        )

    @staticmethod
    def _refusal(host: str, port: int) -> SourceError:
        return SourceError(f"{host}:{port} is not among the servers that sources may reach; JALAN_REACH names them")


def _is_near(address: str) -> bool:
    """Whether an address is this machine, its link, or none that one server has."""
    found = ipaddress.ip_address(address.partition("%")[0])
    if isinstance(found, ipaddress.IPv6Address):
        inner = found.ipv4_mapped or found.sixtofour or (found.teredo[1] if found.teredo else None)
        if inner is not None:
            found = inner
    return (
        found.is_loopback or found.is_link_local or found.is_unspecified or found.is_multicast or found.is_reserved
    )


ANY_HOST = Hosts()
"""For a person at the command line, who could reach the servers without us."""
