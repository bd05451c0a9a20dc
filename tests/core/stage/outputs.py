"""What programs and boxes print, good and bad, as it is pasted at the bench: kind, expected value, outcome, recorded value
(or none, when it is refused), and the text."""

from __future__ import annotations

from typing import NamedTuple

GATEWAY = "203.0.113.17"
RANGE = "10.61.4.60–10.61.4.199"


class Output(NamedTuple):
    kind: str
    expect: str
    outcome: str
    value: str
    text: str


def unix(sent: int, received: int, *lines: str, target: str = GATEWAY, more: str = "") -> str:
    """As one desktop system prints it."""
    loss = round(100 * (sent - received) / sent) if sent else 0
    return "\n".join([
        f"PING {target} ({target}) 56(84) bytes of data.", *lines, "",
        f"--- {target} ping statistics ---",
        f"{sent} packets transmitted, {received} received, {more}{loss}% packet loss, time {sent - 1}004ms",
    ])  # fmt: skip


def reply(number: int, target: str = GATEWAY, tail: str = "") -> str:
    return f"64 bytes from {target}: icmp_seq={number} ttl=64 time=0.412 ms{tail}"


def laptop(sent: int, received: int, *lines: str, target: str = GATEWAY) -> str:
    """As the ping of the usual office laptop prints it."""
    lost = sent - received
    return "\n".join([
        f"Pinging {target} with 32 bytes of data:", *lines, "",
        f"Ping statistics for {target}:",
        f"    Packets: Sent = {sent}, Received = {received}, Lost = {lost} ({round(100 * lost / sent)}% loss),",
    ])  # fmt: skip


def answer(target: str = GATEWAY) -> str:
    return f"Reply from {target}: bytes=32 time<1ms TTL=64"


UNREACHED = "Reply from 192.168.1.5: Destination host unreachable."


def round_trip(sent: int, received: int, *lines: str, target: str = GATEWAY) -> str:
    """As systems that count from 0 print it."""
    loss = 100 * (sent - received) / sent
    return "\n".join([
        f"PING {target} ({target}): 56 data bytes", *lines, "",
        f"--- {target} ping statistics ---",
        f"{sent} packets transmitted, {received} packets received, {loss:.1f}% packet loss",
    ])  # fmt: skip


SIX = "2001:db8:61::1"
PINGS = [
    Output("passes", "", "good", "it answers", "it answers"),
    Output("passes", "", "bad", "timed out", "timed out"),
    Output("passes", "", "good", "4/5", "4/5"),
    Output("silent", "", "good", "no answer", "no answer"),
    Output("silent", "", "good", "connection refused", "connection refused"),
    Output("silent", "", "good", "0/5", "0/5"),
    Output("silent", "", "bad", "5/5", "5/5"),
    Output("silent", "", "bad", "it answers", "it answers"),
    Output("ping", GATEWAY, "good", "4 of 4 replies", unix(4, 4, *map(reply, (1, 2, 3, 4)))),
    Output("ping", GATEWAY, "good", "3 of 4 replies", unix(4, 3, *map(reply, (2, 3, 4)))),
    Output("ping", GATEWAY, "odd", "3 of 4 replies", unix(4, 3, *map(reply, (1, 2, 4)))),
    Output("ping", GATEWAY, "odd", "3 of 4 replies", unix(4, 3, *map(reply, (1, 2, 3)))),
    Output("ping", GATEWAY, "odd", "2 of 4 replies", unix(4, 2, *map(reply, (2, 4)))),
    Output("ping", GATEWAY, "bad", "0 of 4 replies", unix(4, 0)),
    Output("ping", GATEWAY, "bad", "0 of 4 replies",
           unix(4, 0, *(f"From 203.0.113.18 icmp_seq={n} Destination Host Unreachable" for n in range(1, 5)), more="+4 errors, ")),
    Output("ping", GATEWAY, "bad", "0 of 3 replies",
           unix(3, 0, *(f"From 10.61.4.1 icmp_seq={n} Time to live exceeded" for n in range(1, 4)), more="+3 errors, ")),
    Output("ping", GATEWAY, "bad", "0 of 2 replies",
           unix(2, 0, *(f"From 10.61.4.1 icmp_seq={n} Packet filtered" for n in (1, 2)), more="+2 errors, ")),
    Output("ping", GATEWAY, "bad", "3 of 2 replies",
           unix(2, 3, reply(1), reply(1, tail=" (DUP!)"), reply(2), more="+1 duplicates, ")),
    Output("ping", GATEWAY, "bad", "2 of 2 replies", unix(2, 2, reply(1), reply(1, tail=" (DUP!)"), reply(2), more="+1 duplicates, ")),
    Output("ping", "203.0.113.18", "bad", "4 of 4 replies", unix(4, 4, *map(reply, (1, 2, 3, 4)))),
    Output("ping", "", "bad", "no name", "ping: dns.example: Name or service not known"),
    Output("ping", "", "bad", "no name", "ping: dns.example: Temporary failure in name resolution"),
    Output("ping", "", "bad", "no name", "ping: unknown host dns.example"),
    Output("ping", "", "bad", "0 of 1 replies", "ping: connect: Network is unreachable"),
    Output("ping", "", "bad", "0 of 1 replies", "connect: Network is unreachable"),
    Output("ping", GATEWAY, "good", "3 of 3 replies", "\n".join(map(reply, (1, 2, 3)))),
    Output("ping", GATEWAY, "bad", "0 of 2 replies",
           "From 203.0.113.18 icmp_seq=1 Destination Host Unreachable\nFrom 203.0.113.18 icmp_seq=2 Destination Host Unreachable"),
    Output("ping", SIX, "good", "2 of 2 replies", unix(2, 2, reply(1, SIX), reply(2, SIX), target=SIX)),
    Output("ping", SIX, "bad", "0 of 2 replies",
           unix(2, 0, "From 2001:db8:61::9 icmp_seq=1 Destination unreachable: Address unreachable",
                "From 2001:db8:61::9 icmp_seq=2 Destination unreachable: Address unreachable", target=SIX, more="+2 errors, ")),
    Output("ping", "2001:db8:61::2", "bad", "2 of 2 replies", unix(2, 2, reply(1, SIX), reply(2, SIX), target=SIX)),
    Output("ping", GATEWAY, "good", "4 of 4 replies", laptop(4, 4, *[answer()] * 4)),
    Output("ping", GATEWAY, "good", "3 of 4 replies", laptop(4, 3, "Request timed out.", *[answer()] * 3)),
    Output("ping", GATEWAY, "odd", "3 of 4 replies", laptop(4, 3, answer(), "Request timed out.", answer(), answer())),
    Output("ping", GATEWAY, "odd", "2 of 4 replies", laptop(4, 2, answer(), "Request timed out.", answer(), "Request timed out.")),
    Output("ping", GATEWAY, "bad", "0 of 4 replies", laptop(4, 0, *["Request timed out."] * 4)),
    Output("ping", GATEWAY, "bad", "0 of 4 replies", laptop(4, 4, *[UNREACHED] * 4)),
    Output("ping", GATEWAY, "bad", "0 of 4 replies", laptop(4, 3, "Request timed out.", *[UNREACHED] * 3)),
    Output("ping", GATEWAY, "odd", "2 of 4 replies", laptop(4, 4, UNREACHED, UNREACHED, answer(), answer())),
    Output("ping", GATEWAY, "bad", "0 of 4 replies", laptop(4, 4, *["Reply from 10.61.4.1: TTL expired in transit."] * 4)),
    Output("ping", GATEWAY, "bad", "0 of 4 replies", laptop(4, 4, *["Reply from 10.61.4.1: Destination net unreachable."] * 4)),
    Output("ping", GATEWAY, "bad", "0 of 4 replies", laptop(4, 0, *["PING: transmit failed. General failure."] * 4)),
    Output("ping", GATEWAY, "bad", "0 of 4 replies", laptop(4, 0, *["General failure."] * 4)),
    Output("ping", "203.0.113.18", "bad", "4 of 4 replies", laptop(4, 4, *[answer()] * 4)),
    Output("ping", "", "bad", "no name", "Ping request could not find host dns.example. Please check the name and try again."),
    Output("ping", SIX, "good", "4 of 4 replies", laptop(4, 4, *[f"Reply from {SIX}: time<1ms"] * 4, target=SIX)),
    Output("ping", GATEWAY, "odd", "1 of 2 replies", f"{answer()}\nRequest timed out."),
    Output("ping", GATEWAY, "good", "4 of 4 replies", round_trip(4, 4, *map(reply, range(4)))),
    Output("ping", GATEWAY, "good", "3 of 4 replies", round_trip(4, 3, "Request timeout for icmp_seq 0", *map(reply, (1, 2, 3)))),
    Output("ping", GATEWAY, "odd", "3 of 4 replies", round_trip(4, 3, reply(0), "Request timeout for icmp_seq 1", reply(2), reply(3))),
    Output("ping", GATEWAY, "bad", "0 of 3 replies", round_trip(3, 0, *(f"Request timeout for icmp_seq {n}" for n in range(3)))),
    Output("ping", GATEWAY, "bad", "0 of 3 replies",
           round_trip(3, 0, *["ping: sendto: No route to host", "Request timeout for icmp_seq 0"] * 2)),
    Output("ping", GATEWAY, "bad", "0 of 2 replies",
           round_trip(2, 0, "92 bytes from 10.61.4.1: Destination Host Unreachable", "92 bytes from 10.61.4.1: Destination Host Unreachable")),
    Output("ping", "", "bad", "no name", "ping: cannot resolve dns.example: Unknown host"),
    Output("ping", "", "good", "5 of 5 replies", "!!!!!\nSuccess rate is 100 percent (5/5), round-trip min/avg/max = 1/1/4 ms"),
    Output("ping", "", "good", "4 of 5 replies", ".!!!!\nSuccess rate is 80 percent (4/5), round-trip min/avg/max = 1/1/4 ms"),
    Output("ping", "", "odd", "4 of 5 replies", "!!.!!\nSuccess rate is 80 percent (4/5)"),
    Output("ping", "", "bad", "0 of 5 replies", ".....\nSuccess rate is 0 percent (0/5)"),
    Output("ping", "", "bad", "0 of 5 replies", "UUUUU\nSuccess rate is 0 percent (0/5)"),
    Output("ping", "", "bad", "0 of 5 replies", "U.U.U\nSuccess rate is 0 percent (0/5)"),
    Output("ping", GATEWAY, "good", "5 of 5 replies", "sent=5 received=5 packet-loss=0% min-rtt=0ms"),
    Output("ping", GATEWAY, "bad", "0 of 5 replies", "sent=5 received=0 packet-loss=100%"),
    Output("ping", GATEWAY, "odd", "3 of 5 replies", "5 sent, 3 received, 40% loss"),
    Output("ping", GATEWAY, "good", "5 of 5 replies", "5/5"),
    Output("ping", GATEWAY, "good", "4 of 5 replies", "4 of 5"),
    Output("ping", GATEWAY, "good", "5 of 5 replies", "5 out of 5"),
    Output("ping", GATEWAY, "odd", "3 of 5 replies", "3/5"),
    Output("ping", GATEWAY, "bad", "0 of 5 replies", "0/5"),
    Output("ping", GATEWAY, "refused", "", "0/0"),
    Output("ping", GATEWAY, "refused", "", "0 packets transmitted, 0 received"),
    Output("ping", GATEWAY, "refused", "", "works"),
    Output("ping", GATEWAY, "refused", "", "time 0.4 ms"),
]  # fmt: skip

SERVER = "Server:\t\t10.61.4.1\nAddress:\t10.61.4.1#53\n\n"
DIG = """; <<>> lookup <<>> www.example
;; ->>HEADER<<- opcode: QUERY, status: {}, id: 20931
;; flags: qr rd ra; QUERY: 1, ANSWER: {}, AUTHORITY: 0, ADDITIONAL: 1
{}
;; Query time: 4 msec
;; SERVER: 10.61.4.1#53(10.61.4.1) (UDP)"""
LOOKUPS = [
    Output("lookup", "", "good", "192.0.2.7", SERVER + "Non-authoritative answer:\nName:\twww.example\nAddress: 192.0.2.7"),
    Output("lookup", "", "bad", "not found", SERVER + "** server can't find www.example: NXDOMAIN"),
    Output("lookup", "", "bad", "not found", SERVER + "** server can't find www.example: REFUSED"),
    Output("lookup", "", "bad", "not found", SERVER + "** server can't find www.example: SERVFAIL"),
    Output("lookup", "", "bad", "no answer", SERVER),
    Output("lookup", "", "bad", "not found", SERVER + "*** Can't find www.example: No answer"),
    Output("lookup", "", "bad", "not found", ";; connection timed out; no servers could be reached"),
    Output("lookup", "", "bad", "not found", ";; communications error to 10.61.4.1#53: timed out"),
    Output("lookup", "", "bad", "not found", ";; UDP setup with 10.61.4.1#53(10.61.4.1) failed: network unreachable."),
    Output("lookup", "", "good", "2001:db8::7",
           "Server:  box.example\nAddress:  10.61.4.1\n\nNon-authoritative answer:\nName:    www.example\nAddresses:  2001:db8::7\n          192.0.2.7"),
    Output("lookup", "", "bad", "no answer", "Server:  box.example\nAddress:  10.61.4.1\n"),
    Output("lookup", "", "bad", "not found", "Server:  UnKnown\nAddress:  10.61.4.1\n\n*** UnKnown can't find www.example: Query refused"),
    Output("lookup", "", "bad", "not found", "Server:  UnKnown\nAddress:  10.61.4.1\n\n*** UnKnown can't find www.example: Non-existent domain"),
    Output("lookup", "", "bad", "not found",
           "DNS request timed out.\n    timeout was 2 seconds.\nServer:  UnKnown\nAddress:  10.61.4.1\n*** Request to UnKnown timed-out"),
    Output("lookup", "", "good", "192.0.2.7", DIG.format("NOERROR", 1, ";; ANSWER SECTION:\nwww.example.\t300\tIN\tA\t192.0.2.7")),
    Output("lookup", "", "bad", "not found", DIG.format("REFUSED", 0, "")),
    Output("lookup", "", "bad", "not found", DIG.format("NXDOMAIN", 0, "")),
    Output("lookup", "", "bad", "not found", DIG.format("NOERROR", 0, "")),
    Output("lookup", "", "good", "192.0.2.7", "www.example has address 192.0.2.7"),
    Output("lookup", "", "good", "2001:db8::7", "www.example has IPv6 address 2001:db8::7"),
    Output("lookup", "", "bad", "not found", "Host www.example not found: 3(NXDOMAIN)"),
    Output("lookup", "", "bad", "not found", "Host www.example not found: 5(REFUSED)"),
    Output("lookup", "", "good", "192.0.2.7",
           "Using domain server:\nName: 10.61.4.1\nAddress: 10.61.4.1#53\nAliases:\n\nwww.example has address 192.0.2.7"),
    Output("lookup", "", "good", "192.0.2.7", "www.example: 192.0.2.7"),
    Output("lookup", "", "bad", "not found", "www.example: resolve call failed: 'www.example' not found"),
    Output("lookup", "192.0.2.7", "bad", "198.51.100.7", "www.example has address 198.51.100.7"),
    Output("lookup", "192.0.2.7", "good", "192.0.2.7", "www.example has address 192.0.2.7"),
    Output("lookup", "", "good", "found", "ok"),
    Output("lookup", "", "refused", "", "fine, I think"),
]  # fmt: skip

LEASES = [
    Output("lease", RANGE, "good", "10.61.4.60", "10.61.4.60"),
    Output("lease", RANGE, "good", "10.61.4.199", "10.61.4.199/24"),
    Output("lease", RANGE, "bad", "10.61.4.200", "10.61.4.200"),
    Output("lease", RANGE, "bad", "192.168.1.20", "192.168.1.20"),
    Output("lease", RANGE, "bad", "169.254.7.1", "169.254.7.1"),
    Output("lease", RANGE, "good", "10.61.4.77",
           "Ethernet adapter Ethernet:\n   Connection-specific DNS Suffix  . : dock.example\n   IPv4 Address. . . . . . . . . . . : 10.61.4.77(Preferred)\n"
           "   Subnet Mask . . . . . . . . . . . : 255.255.255.0\n   Default Gateway . . . . . . . . . : 10.61.4.1\n   DHCP Server . . . . . . . . . . . : 10.61.4.1"),
    Output("lease", RANGE, "bad", "192.168.1.77",
           "   IPv4 Address. . . . . . . . . . . : 192.168.1.77\n   Subnet Mask . . . . . . . . . . . : 255.255.255.0\n   Default Gateway . . . . . . . . . : 10.61.4.100"),
    Output("lease", RANGE, "bad", "169.254.83.107",
           "   Autoconfiguration IPv4 Address. . : 169.254.83.107(Preferred)\n   Subnet Mask . . . . . . . . . . . : 255.255.0.0\n   Default Gateway . . . . . . . . . :"),
    Output("lease", RANGE, "good", "10.61.4.77",
           "lo0: flags=8049<UP,LOOPBACK> mtu 16384\n\tinet 127.0.0.1 netmask 0xff000000\nen0: flags=8863<UP> mtu 1500\n"
           "\tinet 10.61.4.77 netmask 0xffffff00 broadcast 10.61.4.255"),
    Output("lease", RANGE, "bad", "192.168.1.9",
           "en0: flags=8863<UP> mtu 1500\n\tinet 192.168.1.9 netmask 0xffffff00 broadcast 10.61.4.199"),
    Output("lease", RANGE, "good", "10.61.4.77",
           "1: lo: <LOOPBACK,UP> mtu 65536\n    inet 127.0.0.1/8 scope host lo\n2: eth0: <UP> mtu 1500\n    inet 10.61.4.77/24 brd 10.61.4.255 scope global dynamic eth0"),
    Output("lease", RANGE, "bad", "10.9.8.7", "    inet 10.9.8.7/24 brd 10.61.4.199 scope global dynamic eth0"),
    Output("lease", RANGE, "good", "10.61.4.77", "eth0   UP   10.61.4.77/24 fe80::40:8ff:fe00:1/64"),
    Output("lease", RANGE, "good", "10.61.4.77", "DHCPACK of 10.61.4.77 from 10.61.4.1\nbound to 10.61.4.77 -- renewal in 1400 seconds."),
    Output("lease", RANGE, "refused", "", "DHCPDISCOVER on eth0 to 255.255.255.255 port 67 interval 8"),
    Output("lease", RANGE, "refused", "", "none"),
    Output("lease", RANGE, "refused", "", "    inet 127.0.0.1/8 scope host lo"),
    Output("lease", RANGE, "refused", "", "Default Gateway . . . . . . . . . : 10.61.4.100"),
]  # fmt: skip

OTHERS = [
    Output("firmware", "4.8.2", "good", "4.8.2", "4.8.2"),
    Output("firmware", "4.8.2", "good", "Version v4.8.2 (build 7)", "Version v4.8.2 (build 7)"),
    Output("firmware", "4.8.2", "odd", "14.8.21", "14.8.21"),
    Output("firmware", "4.8.2", "odd", "4.8.21", "4.8.21"),
    Output("firmware", "4.8.2", "odd", "14.8.2", "14.8.2"),
    Output("firmware", "4.8.2", "odd", "4.8.2.1", "4.8.2.1"),
    Output("firmware", "4.8.2", "odd", "4.8.2-rc1", "4.8.2-rc1"),
    Output("firmware", "4.8.2", "odd", "2.4.8.2", "2.4.8.2"),
    Output("light", "steady green", "good", "Steady green", "Steady green"),
    Output("light", "steady green", "bad", "not green", "not green"),
    Output("light", "steady green", "bad", "no light", "no light"),
    Output("light", "off", "good", "off", "off"),
    Output("light", "", "odd", "blinking amber", "blinking amber"),
    Output("yes", "", "good", "it works", "it works"),
    Output("yes", "", "bad", "it doesn't open", "it doesn't open"),
    Output("yes", "", "bad", "not ok", "not ok"),
    Output("yes", "", "bad", "connection refused", "connection refused"),
    Output("text", "BW5-20932", "good", "BW5-20932", "S/N: bw5-20932"),
    Output("text", "BW5-20932", "bad", "BW5-209321", "BW5-209321"),
    Output("mac", "", "good", "02:40:08:aa:bb:cc", "MAC: 02-40-08-AA-BB-CC"),
    Output("mac", "02:40:08:aa:bb:cc", "bad", "02:40:08:aa:bb:cd", "0240.08aa.bbcd"),
]  # fmt: skip

OUTPUTS = [*PINGS, *LOOKUPS, *LEASES, *OTHERS]
