"""Reading and writing what people type: addresses, masks, networks, ranges and MACs.

Values are small and immutable and hold integers; IPv4 and IPv6 are one type with the family inside.
Everything that cannot be read raises a member of one family of errors, all of them `RefusedError`:

    AddressError            anything here that could not be read
      MaskError             not a mask or prefix length
      NetworkError          not a subnet
      RangeError            not a run of addresses
      MacError              not a hardware address

Every message quotes what was typed, says why it cannot be read, and what to type instead.
"""

from __future__ import annotations

import ipaddress
import re
import socket
from typing import NamedTuple

from octaplan.core.values.errors import RefusedError

BITS = {4: 32, 6: 128}

#: A MAC in a text, as most programs and labels write it: `02:40:08:aa:bb:cc`, `02-40-…`, `0240.08aa.bbcc`.
MAC_TEXT = r"(?:[0-9A-Fa-f]{2}[:-]){5}[0-9A-Fa-f]{2}|(?:[0-9A-Fa-f]{4}\.){2}[0-9A-Fa-f]{4}"

#: How many addresses at the end of a /64 are reserved for anycast (RFC 2526).
RESERVED_ANYCAST = 128


class AddressError(RefusedError):
    """Something typed as an address could not be read as one."""


class MaskError(AddressError):
    """Something typed as a mask or prefix length could not be read as one."""


class NetworkError(AddressError):
    """Something typed as a subnet could not be read as one."""


class RangeError(AddressError):
    """Something typed as a run of addresses could not be read as one."""


class MacError(AddressError):
    """Something typed as a MAC could not be read as one."""


class Address(NamedTuple):
    """One IPv4 or IPv6 address; `value` is the integer of 32 or 128 bits."""

    family: int
    value: int

    def __str__(self) -> str:
        v = self.value
        if self.family == 4:
            return f"{v >> 24}.{v >> 16 & 255}.{v >> 8 & 255}.{v & 255}"
        return ipaddress.IPv6Address(v).compressed

    def plus(self, count: int) -> Address:
        """The address `count` further on (or back); `AddressError` beyond the end of the family."""
        value = self.value + count
        if not 0 <= value < 1 << BITS[self.family]:
            raise AddressError(f"There is no address {count:+d} from {self}: the family ends before it")
        return Address(self.family, value)


class Network(NamedTuple):
    """A subnet: the network address as an integer, and a prefix length in bits."""

    family: int
    value: int
    prefix: int

    def __str__(self) -> str:
        return f"{self.first}/{self.prefix}"

    @classmethod
    def holding(cls, address: Address, prefix: int) -> Network:
        """The subnet of that prefix length that an address lies in; `MaskError` when it is too long."""
        bits = BITS[address.family]
        if not 0 <= prefix <= bits:
            raise MaskError(f"/{prefix} is too long for IPv{address.family}: write /0 to /{bits}")
        shift = bits - prefix
        return cls(address.family, address.value >> shift << shift, prefix)

    @property
    def size(self) -> int:
        return 1 << (BITS[self.family] - self.prefix)

    @property
    def first(self) -> Address:
        return Address(self.family, self.value)

    @property
    def last(self) -> Address:
        return Address(self.family, self.value + self.size - 1)

    @property
    def usable(self) -> Span:
        """What can be given away: not the two ends of an IPv4 subnet of /30 or larger (RFC 3021), nor the first address
        of an IPv6 one, which means all of its routers (RFC 4291, 2.6.1; links of /127 go without, RFC 6164)."""
        low = 1 if self.prefix <= (30 if self.family == 4 else 126) else 0
        high = low if self.family == 4 else 0
        return Span(Address(self.family, self.value + low), Address(self.family, self.last.value - high))

    @property
    def for_hosts(self) -> Span:
        """What a host may have: of a /64 not the last 128 either, which are reserved for anycast (RFC 2526)."""
        first, last = self.usable
        if self.family == 6 and self.prefix == 64:
            last = Address(6, last.value - RESERVED_ANYCAST)
        return Span(first, last)

    @property
    def mask(self) -> str:
        """The mask as it is typed into a box: dotted for IPv4, `/64` for IPv6."""
        if self.family == 6:
            return f"/{self.prefix}"
        return str(Address(4, (1 << 32) - self.size))

    def holds(self, address: Address) -> bool:
        family, value, prefix = self
        return address.family == family and (address.value ^ value) >> (BITS[family] - prefix) == 0


class Span(NamedTuple):
    """A run of addresses of one family, both ends included. `first` may lie above `last`: then it is empty."""

    first: Address
    last: Address

    def __str__(self) -> str:
        return str(self.first) if self.first == self.last else f"{self.first}–{self.last}"

    @property
    def typed(self) -> str:
        """The run as tables and plans write it, with a plain hyphen."""
        return str(self.first) if self.first == self.last else f"{self.first}-{self.last}"

    @property
    def size(self) -> int:
        return max(0, self.last.value - self.first.value + 1) if self.first.family == self.last.family else 0

    def holds(self, address: Address) -> bool:
        return self.first <= address <= self.last

    def without(self, excluded: list[Span]) -> list[Span]:
        """The run with others cut out of it, as pieces in order."""
        pieces: list[Span] = []
        start = self.first
        for cut in sorted(excluded):
            if cut.size == 0 or cut.last < start or cut.first > self.last or cut.first.family != start.family:
                continue
            if cut.first > start:
                pieces.append(Span(start, cut.first.plus(-1)))
            if cut.last >= self.last:
                return pieces
            start = cut.last.plus(1)
        if start <= self.last:
            pieces.append(Span(start, self.last))
        return pieces


class Mac(NamedTuple):
    """A 48-bit hardware address (EUI-48)."""

    value: int

    def __str__(self) -> str:
        digits = f"{self.value:012x}"
        return f"{digits[:2]}:{digits[2:4]}:{digits[4:6]}:{digits[6:8]}:{digits[8:10]}:{digits[10:]}"


_OCTETS = {str(octet): octet for octet in range(256)}


def parse_address(text: str) -> Address:
    """Read one address, IPv4 in dotted form or IPv6 (RFC 4291). Raises `AddressError`."""
    octets = text.split(".")
    if len(octets) == 4:
        try:
            a, b, c, d = octets
            return Address(4, _OCTETS[a] << 24 | _OCTETS[b] << 16 | _OCTETS[c] << 8 | _OCTETS[d])
        except KeyError:
            pass  # the usual way says what is wrong
    typed = text.strip()
    if ":" in typed:
        return _parse_ipv6(typed)
    parts = typed.split(".")
    if len(parts) != 4:
        if not typed:
            raise AddressError("The address is empty: write four numbers with dots, such as 10.40.8.1")
        raise AddressError(f"{_an(len(parts), 'part')} where an address has 4 in {_quote(typed)}: {_FOUR}")
    value = 0
    for part in parts:
        value = value << 8 | _octet(part, typed)
    return Address(4, value)


_FOUR = "write four numbers with dots, such as 10.40.8.1"


def _octet(part: str, typed: str) -> int:
    if not part:
        raise AddressError(f"Empty octet not permitted in {_quote(typed)}: {_FOUR}")
    if not (part.isascii() and part.isdigit()):
        raise AddressError(f"Only digits permitted in octet {_quote(part)} of {_quote(typed)}: {_FOUR}")
    if len(part) > 1 and part[0] == "0":
        raise AddressError(
            f"Leading zero not permitted in octet {part} of {_quote(typed)}, "
            f"since some boxes read it as octal: write {part.lstrip('0') or '0'}"
        )
    if len(part) > 3 or int(part) > 255:
        raise AddressError(f"Octet {part} (> 255) not permitted in {_quote(typed)}: each octet is 0 to 255")
    return int(part)


def _parse_ipv6(typed: str) -> Address:
    if "%" in typed:
        raise AddressError(f"Zone not permitted in {_quote(typed)}: write the address without '%' and after")
    try:
        return Address(6, int.from_bytes(socket.inet_pton(socket.AF_INET6, typed), "big"))
    except (OSError, ValueError):
        pass  # the usual way says what is wrong
    try:
        return Address(6, int(ipaddress.IPv6Address(typed)))
    except ValueError as error:
        reason = str(error).split(" in '")[0].rstrip(".")
        raise AddressError(f"{reason} in {_quote(typed)}: write an IPv6 address such as 2001:db8:40::1") from None


def parse_mask(text: str, family: int = 4) -> int:
    """Read a mask in any usual notation and return the prefix length in bits.

    `29`, `/29`, `255.255.255.248`, the inverse `0.0.0.7` and hexadecimal `0xfffffff8` are the same mask;
    IPv6 has the first two only. Raises `MaskError`.
    """
    typed = text.strip()
    bits = BITS[family]
    digits = typed.removeprefix("/").strip()
    if digits.isascii() and digits.isdigit():
        if len(digits) > 3 or int(digits) > bits:
            raise MaskError(f"/{digits} in {_quote(typed)} is too long for IPv{family}: write /0 to /{bits}")
        return int(digits)
    if family == 6:
        raise MaskError(f"{_quote(typed)} is not an IPv6 prefix length: write /0 to /128, such as /64")
    if re.fullmatch(r"0[xX][0-9a-fA-F]{8}", digits):
        return _mask_bits(int(digits, 16), typed)
    parts = digits.split(".")
    if len(parts) != 4 and len(parts) > 1:
        raise MaskError(f"{_an(len(parts), 'part')} where a mask has 4 in {_quote(typed)}: {_mask_guess(parts)}")
    try:
        value = parse_address(digits).value
    except AddressError:
        raise MaskError(f"{_quote(typed)} is not a mask: write a prefix length such as /24, or 255.255.255.0") from None
    return _mask_bits(value, typed)


def _mask_bits(value: int, typed: str) -> int:
    for inverse in (value ^ 0xFFFFFFFF, value):
        if inverse & (inverse + 1) == 0:
            return 32 - inverse.bit_length()
    raise MaskError(
        f"{_quote(typed)} is not a mask: its one bits are not all on the left. "
        "Write a prefix length such as /24, or 255.255.255.0"
    )


def _mask_guess(parts: list[str]) -> str:
    guesses = []
    if len(parts) == 3:
        for octets in ([*parts, "0"], [parts[0], "255", *parts[1:]]):
            try:
                prefix = parse_mask(".".join(octets))
            except MaskError:
                continue
            guesses.append(f"{'.'.join(octets)} (/{prefix})")
    if guesses:
        return "did you mean " + " or ".join(guesses) + "?"
    return "write a prefix length such as /24, or 255.255.255.0"


def parse_network(text: str) -> tuple[Network, Address]:
    """Read a subnet: `10.40.8.0/24`, `10.40.8.0 255.255.255.0`, `10.40.8.0/255.255.255.0`, `2001:db8::/64`.

    Returns the network and the address as it was typed, which differs from the network's first address
    when host bits were set. Raises `NetworkError`, or `MaskError` when only the mask is at fault.
    """
    typed = text.strip()
    head, slash, tail = typed.partition("/")
    if not slash:
        head, _, tail = typed.partition(" ")
    if not tail.strip():
        raise NetworkError(f"No mask in {_quote(typed)}: a subnet needs one, such as 10.40.8.0/24")
    try:
        address = parse_address(head)
    except AddressError as error:
        raise NetworkError(str(error)) from None
    return Network.holding(address, parse_mask(tail, address.family)), address


def parse_near(text: str, subnet: Network | None) -> Address:
    """Read an address, or the end of one inside a known subnet: `.20`, `20`, `.9.20` of IPv4, `::20`, `:20` of IPv6."""
    typed = text.strip()
    if subnet is not None and subnet.family == 6 and re.fullmatch(r"::?[0-9a-fA-F]{1,4}(?::[0-9a-fA-F]{1,4})*", typed):
        end = parse_address(f"::{typed.lstrip(':')}").value
        if end < subnet.size:
            return Address(6, subnet.value + end)
    short = typed.lstrip(".")
    if (
        subnet is not None
        and subnet.family == 4
        and short
        and short.count(".") < 3
        and all(p.isdigit() for p in short.split("."))
    ):
        head = str(subnet.first).split(".")
        tail = short.split(".")
        return parse_address(".".join(head[: 4 - len(tail)] + tail))
    return parse_address(typed)


def parse_range(text: str, subnet: Network | None = None) -> Span:
    """Read a run of addresses, both ends included; a run typed back to front is returned so.

    `10.40.8.20-10.40.8.199`, `10.40.8.20-199`, `10.40.8.20 to .199`, `10.40.8.20 + 180` (start and how many),
    a single address, and inside a known subnet also `.20-.199` and `20-199`. Raises `RangeError`.
    """
    typed = text.strip()
    try:
        start, plus, count = typed.partition("+")
        if plus:
            return counted(parse_near(start, subnet), count)
        ends = re.split(r"\s*(?:-|–|—|\bto\b|…|\.\.\.)\s*", typed)
        if len(ends) > 2:
            raise RangeError(f"More than one hyphen in {_quote(typed)}: write first and last, such as .20-.199")
        first = parse_near(ends[0], subnet)
        around = subnet if subnet is not None and subnet.holds(first) else Network.holding(first, BITS[first.family])
        last = parse_near(ends[-1], around) if len(ends) == 2 else first
    except RangeError:
        raise
    except AddressError as error:
        raise RangeError(str(error)) from None
    if first.family != last.family:
        raise RangeError(f"IPv4 and IPv6 mixed in {_quote(typed)}: both ends must be of one family")
    return Span(first, last)


def counted(first: Address, count: str) -> Span:
    """The run that starts at an address and holds so many. Raises `RangeError`."""
    digits = count.strip()
    if not (digits.isascii() and digits.isdigit()) or int(digits[:40]) < 1:
        raise RangeError(f"{_quote(digits)} is not a number of addresses: write 1 or more")
    try:
        return Span(first, first.plus(int(digits[:40]) - 1))
    except AddressError:
        raise RangeError(f"{digits} addresses from {first} go past the last address there is") from None


_USUAL_MACS = tuple(
    re.compile(pattern).fullmatch
    for pattern in (
        r"[0-9a-fA-F]{1,2}([:-])(?:[0-9a-fA-F]{1,2}\1){4}[0-9a-fA-F]{1,2}",
        r"[0-9a-fA-F]{4}\.[0-9a-fA-F]{4}\.[0-9a-fA-F]{4}",
        r"[0-9a-fA-F]{6}[:-]?[0-9a-fA-F]{6}",
    )
)


def parse_mac(text: str) -> Mac:
    """Read a 48-bit MAC as `02:40:08:aa:bb:cc`, `02-40-08-…`, `0240.08aa.bbcc` or bare. Raises `MacError`."""
    digits = text.replace(":", "")
    if len(text) == 17 and text[2::3] == ":::::" and len(digits) == 12 and digits.isalnum() and digits.isascii():
        try:
            return Mac(int(digits, 16))
        except ValueError:
            pass  # the usual way says what is wrong
    typed = text.strip()
    if any(usual(typed) for usual in _USUAL_MACS):
        if len(typed) in (12, 13, 14, 17):
            return Mac(int(typed.replace(":", "").replace("-", "").replace(".", ""), 16))
        return Mac(int("".join(part.zfill(2) for part in re.split(r"[:.-]", typed)), 16))
    raise MacError(f"{_quote(typed)} is not a MAC: write twelve hexadecimal digits, such as 02:40:08:aa:bb:cc")


def prefixed(address: Address | None, prefix: int | None) -> str:
    """An address with its prefix length behind it, as far as they are known: `2001:db8:40::1/64`."""
    return "" if address is None else f"{address}/{prefix}" if prefix is not None else str(address)


def _quote(text: str) -> str:
    return repr(text if len(text) <= 60 else text[:57] + "…")


def _an(count: int, noun: str) -> str:
    return f"{count} {noun}{'' if count == 1 else 's'}"


def _ranges(*texts: str) -> tuple[Network, ...]:
    return tuple(parse_network(text)[0] for text in texts)


#: RFC 1918.
PRIVATE_IPV4 = _ranges("10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16")

#: Not routed on the internet: RFC 1918, 6598, 3927, 1122, 5771, 6890, 2544. Documentation ranges (RFC 5737,
#: RFC 3849) are left out, since they stand for public space in examples.
NOT_PUBLIC_IPV4 = PRIVATE_IPV4 + _ranges(
    "0.0.0.0/8",
    "100.64.0.0/10",
    "127.0.0.0/8",
    "169.254.0.0/16",
    "192.0.0.0/24",
    "198.18.0.0/15",
    "224.0.0.0/4",
    "240.0.0.0/4",
)

#: Global unicast (RFC 4291); 2001:db8::/32 lies inside it.
PUBLIC_IPV6 = parse_network("2000::/3")[0]


#: RFC 5737, RFC 3849: for examples, not for use.
DOCUMENTATION = _ranges("192.0.2.0/24", "198.51.100.0/24", "203.0.113.0/24", "2001:db8::/32")

_LINK_LOCAL = _ranges("169.254.0.0/16", "fe80::/10")


def is_link_local(address: Address) -> bool:
    """Whether an address means something on its own link only (RFC 3927, RFC 4291)."""
    return any(network.holds(address) for network in _LINK_LOCAL)


def is_documentation(address: Address) -> bool:
    """Whether an address is meant for examples only (RFC 5737, RFC 3849)."""
    return any(network.holds(address) for network in DOCUMENTATION)


def is_public(address: Address) -> bool:
    """Whether the internet routes the address; documentation ranges count as public."""
    if address.family == 6:
        return PUBLIC_IPV6.holds(address)
    return not any(network.holds(address) for network in NOT_PUBLIC_IPV4)
