"""Where a request comes from, and what it was made with, as far as either is anybody's business."""

import re
from ipaddress import IPv6Address, ip_address, ip_network

from flask import request

__all__ = ["device_words", "network"]

SYSTEMS = (("iPhone", "iPhone"), ("iPad", "iPad"), ("Android", "Android"), ("Windows", "Windows"), ("Macintosh", "Mac"),
           ("CrOS", "Chromebook"), ("Linux", "Linux"))  # fmt: skip
BROWSERS = (("Edg/", "Edge"), ("OPR/", "Opera"), ("Firefox/", "Firefox"), ("Chrome/", "Chrome"), ("Safari/", "Safari"))


def network() -> str:
    """Return where a request comes from; of IPv6 the network, since one guesser has all its addresses."""
    try:
        address = ip_address(request.remote_addr or "")
    except ValueError:
        return "unknown"
    if isinstance(address, IPv6Address):
        return str(ip_network(f"{address}/64", strict=False))
    return str(address)


def device_words() -> str:
    """Return what a browser calls itself, as its owner would: which browser on what."""
    agent = request.headers.get("User-Agent", "")
    system = next((words for mark, words in SYSTEMS if mark in agent), "another system")
    browser = next((words for mark, words in BROWSERS if re.search(re.escape(mark), agent)), "A browser")
    return f"{browser} on {system}"
