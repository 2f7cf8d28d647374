"""Who is really asking: behind trusted proxies the address they pass on, from anybody else the one they come from."""

from collections.abc import Callable, Iterable, Sequence
from ipaddress import IPv4Network, IPv6Network, ip_address
from typing import Any

__all__ = ["BehindProxies"]

Network = IPv4Network | IPv6Network


class BehindProxies:
    """WSGI middleware: takes the client's address and scheme from the headers of trusted proxies only."""

    def __init__(self, app: Callable[..., Iterable[bytes]], trusted: Sequence[Network]) -> None:
        self.app, self.trusted = app, trusted

    def __call__(self, environ: dict[str, Any], start_response: Callable[..., Any]) -> Iterable[bytes]:
        """Answer a request as from its real client."""
        if self._is_trusted(environ.get("REMOTE_ADDR", "")):
            hops = [hop.strip() for hop in environ.get("HTTP_X_FORWARDED_FOR", "").split(",") if hop.strip()]
            # From the right: what the nearest proxy saw counts, and what a client wrote itself is never reached.
            for hop in reversed(hops):
                if not _is_address(hop):
                    break
                environ["REMOTE_ADDR"] = hop
                if not self._is_trusted(hop):
                    break
            scheme = environ.get("HTTP_X_FORWARDED_PROTO", "").rpartition(",")[2].strip()
            if scheme in ("http", "https"):
                environ["wsgi.url_scheme"] = scheme
        return self.app(environ, start_response)

    def _is_trusted(self, text: str) -> bool:
        return _is_address(text) and any(ip_address(text) in network for network in self.trusted)


def _is_address(text: str) -> bool:
    try:
        ip_address(text)
    except ValueError:
        return False
    return True
