"""IPv4 addresses of controllers and stations.

Source: RFC 791, RFC 950, RFC 3021 (/31 links), RFC 1112 (multicast), RFC 3927 (link-local).
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from functools import lru_cache
from ipaddress import AddressValueError, IPv4Address, IPv4Interface, IPv4Network

from highmoor.core.errors import Refusal


def parse_address(text: str) -> str:
    """A host address in dotted form. Raises Refusal for what can be no host anywhere."""
    try:
        address = IPv4Address(str(text).strip())
    except AddressValueError:
        raise Refusal(
            f"“{text}” is not an IPv4 address; four numbers 0–255 with dots are needed.", value=text
        ) from None
    problem = host_problem(address)
    if problem:
        raise Refusal(problem, value=text)
    return str(address)


def host_problem(address: IPv4Address) -> str:
    """Why no host can have this address, or ""."""
    if address == IPv4Address(0):
        return "0.0.0.0 means “no address”; a host needs one of its own."
    if address.is_multicast:
        return f"{address} is a multicast address (224.0.0.0–239.255.255.255), not a host's."
    if address.is_loopback:
        return f"{address} is a loopback address: every device means itself by it."
    if int(address) >> 28 == 15:
        return f"{address} lies in the reserved range 240.0.0.0/4."
    if int(address) >> 24 == 0:
        return f"{address} lies in 0.0.0.0/8, which names no host."
    return ""


def parse_mask(text: str) -> str:
    """A mask as dotted quad, from "255.255.255.0", "/24" or "24". Raises Refusal for a mask with holes."""
    given = str(text).strip()
    if re.fullmatch(r"/?[0-9]{1,2}", given):
        length = int(given.lstrip("/"))
        if not 1 <= length <= 32:
            raise Refusal(f"A prefix length runs from 1 to 32, not {length}.", value=text)
        return str(IPv4Network(f"0.0.0.0/{length}").netmask)
    try:
        bits = int(IPv4Address(given))
    except AddressValueError:
        raise Refusal(f"“{text}” is not a mask; 255.255.255.0 or /24 is the form wanted.", value=text) from None
    if not bits or (bits | (bits - 1)) != 0xFFFFFFFF:
        raise Refusal(f"{given} is not a mask: its ones must stand together from the left.", value=text)
    return given


# Every station of a network asks of the same port.
@lru_cache(maxsize=256)
def interface(address: str, mask: str) -> IPv4Interface | None:
    """Address and mask together; None when either is missing or malformed."""
    try:
        return IPv4Interface(f"{address}/{mask}") if address and mask else None
    except ValueError:
        return None


def host_in_network_problem(host: IPv4Address, net: IPv4Network) -> str:
    """Why `host` cannot be a host of `net`, or ""; /31 and /32 have no network or broadcast address."""
    if host not in net:
        return f"{host} lies outside {net}"
    if net.prefixlen < 31 and host == net.network_address:
        return f"{host} is the address of the network {net} itself"
    if net.prefixlen < 31 and host == net.broadcast_address:
        return f"{host} is the broadcast address of {net}"
    return ""


def next_free(
    net: IPv4Network, used: Iterable[IPv4Address], count: int = 1, after: IPv4Address | None = None
) -> list[IPv4Address]:
    """The first `count` consecutive free host addresses of `net`, behind `after`; empty when there is no such block."""
    taken = {int(a) for a in used}
    first, last = int(net.network_address), int(net.broadcast_address)
    if net.prefixlen < 31:
        first, last = first + 1, last - 1
    if after is not None and after in net:
        first = max(first, int(after) + 1)
    start = first
    for candidate in sorted(a for a in taken if first <= a <= last):
        if candidate - start >= count:
            break
        start = max(start, candidate + 1)
    return [IPv4Address(start + n) for n in range(count)] if start + count - 1 <= last else []
