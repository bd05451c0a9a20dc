"""What a box prints, held against what is planned for it."""

from __future__ import annotations

import re
from bisect import bisect_right
from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping
from itertools import accumulate

from octaplan.core.config.departures import AsPlanned, Differs, Mark, Missing, ReadBack, Unplanned
from octaplan.core.config.ownlines import OwnLines, hidden, matched
from octaplan.core.config.recognisable import MASKS, SERVICES, STRICT, VLANS, Recognisable, fits, recognisable
from octaplan.core.config.text import TextLine, lines_of
from octaplan.core.config.tokens import Token, tokens_of
from octaplan.core.config.view import BoxView
from octaplan.core.config.writeout import NotWritten, write_out
from octaplan.core.plan.boxes import named
from octaplan.core.plan.hardware import HardwareType, WritePart
from octaplan.core.plan.organisation import UNDECIDED, Organisation
from octaplan.core.plan.site import SitePlan
from octaplan.core.values.addresses import Address, Mac, Network, Span, is_link_local
from octaplan.core.values.lazy import lazy
from octaplan.core.values.services import known_services
from octaplan.core.values.wholewords import whole_words

#: How much of a line is shown.
MOST_SHOWN = 200
#: So many things that nobody planned are told one by one; no text of this box has more.
MOST_UNPLANNED = 1_000
#: So many values that nobody planned are held against each planned one that is missing.
MOST_ODD = 1_000

_SECRET = re.compile(
    r"\b(?:password|passphrase|passwd|psk|secret|pre-shared-key|shared-key|community|wpa-key|private-key)\b"
    r"(?:\s*[:=]\s*|\s+(?:is\s+)?(?:\S{1,2}\s+(?=\S))?)(\"[^\"]*\"|'[^']*'|\S+)",
    re.I,
)
#: One of these is in each of the words before a secret.
_SECRETIVE = ("pass", "psk", "secret", "key", "community")
_KINDS = {"dns": "resolver", "time": "time server", "gateway": "gateway", "range": "range", "relay": "relay"}
_DOTTED = re.compile(r"(?<![\w.])\d{1,3}(?:\.\d{1,3}){3}(?![\w.])|(?<![\w:])[0-9a-f]{1,4}:[0-9a-f:]+")
_NEGATED = re.compile(r"\b(?:no|off|disabled?|false|stopped|inactive|without)\b", re.I)


def read_back(
    plan: SitePlan,
    key: str,
    text: str,
    kind: HardwareType | None = None,
    organisation: Organisation = UNDECIDED,
    *,
    before: Iterable[SitePlan] = (),
    others: Mapping[str, SitePlan] | None = None,
) -> ReadBack:
    """Hold what a box printed against its plan.

    `before` are earlier revisions of the plan, `others` the other sites by name, by which a text of something else is
    known. Raises `Unreadable` when the text is none.
    """
    return _Judging(plan, key, text, kind, organisation, tuple(before)).result(others or {})


class _Judging:
    def __init__(
        self,
        plan: SitePlan,
        key: str,
        text: str,
        kind: HardwareType | None,
        organisation: Organisation,
        before: tuple[SitePlan, ...],
    ) -> None:
        self.plan, self.key, self.kind, self.before = plan, key, kind, before
        self.organisation = organisation
        self.lines = lines_of(text)
        self.view = BoxView(plan, key, kind, organisation)
        self.wanted = [*recognisable(self.view)]
        self.back = ReadBack(lines=self.lines)
        self.by_value: dict[object, list[Recognisable]] = defaultdict(list)
        for one in self.wanted:
            self.by_value[one.value].append(one)
        self.known = _known_of_site(plan)
        self.hops = {route.by for route in self.view.settings.routes if route.by is not None}
        self._masked: dict[int, list[Token]] = defaultdict(list)

    def result(self, others: Mapping[str, SitePlan]) -> ReadBack:
        own = self._own_lines()
        if own is not None:
            self._by_lines(own)
            rest = [*own.more, *own.rest]
            self._unplanned_lines(own)
        else:
            rest = self.lines
        tokens = tokens_of(rest)
        odd = self._odd(tokens, met=own is not None)
        if own is None:
            odd = self._by_shape(tokens, odd)
        self._leftovers(odd)
        self._clear_secrets(rest)
        self._old_ways(rest)
        told = {token.at.line for token in tokens} | {one.line for one in self.back.as_planned}
        told |= own.lines if own is not None else set()
        told |= {one.line for one in self.back.differs} | {one.line for one in self.back.unplanned}
        self.back.unread = sum(line.number not in told for line in self.lines)
        self.back.about = self._about(others)
        self.back.as_planned.sort(key=lambda one: one.line)
        self.back.differs.sort(key=lambda one: one.line)
        self.back.unplanned.sort(key=lambda one: one.line)
        return self.back

    # --- The type's own language

    def _own_lines(self) -> OwnLines | None:
        if self.kind is None or self.kind.write_out is None:
            return None
        try:
            written = write_out(self.plan, self.key, self.kind, self.organisation)
        except NotWritten:
            return None
        own = matched(self.lines, written.lines, self.kind.write_out)
        if own is not None:  # what saves is done, not held: no box shows it
            own.missing = [line for line in own.missing if line.part is not WritePart.SAVE]
        return own

    def _by_lines(self, own: OwnLines) -> None:
        back = self.back
        back.own_language = True
        told: set[tuple[str, str]] = set()
        for leaf, text, line in own.found:
            for path in leaf.tells:
                if (path, text) not in told and not leaf.secret:
                    told.add((path, text))
                    back.as_planned.append(AsPlanned(path, text, line))
        for other in own.other:
            seen = other.seen if not other.leaf.secret else "(withheld)"
            why = self._why(other.planned, seen)
            back.differs.append(Differs(other.leaf.path, other.planned, seen, other.line, why, other.leaf.what))
        seen_paths = {path for path, _ in told} | {one.path for one in back.differs}
        for written in own.missing:
            leaves = [leaf for leaf in written.leaves if leaf.counts] or written.leaves
            gone = [leaf for leaf in leaves if leaf.path not in seen_paths] or leaves[-1:]
            entries = [Missing(leaf.path, "" if leaf.secret else str(leaf.value), leaf.what) for leaf in gone]
            entries = entries or [Missing("", written.text.strip(), "a line")]
            back.missing += [entry for entry in entries if entry not in back.missing]
        for slot, line in own.clear:
            self._clear(line, f"the secret {slot.rpartition('/')[2]} stands here as it is")

    def _unplanned_lines(self, own: OwnLines) -> None:
        for line in own.more:
            if not _SECRET.search(line.text):
                shown = line.text.strip()[:MOST_SHOWN]
                self.back.unplanned.append(Unplanned("line", shown, line.number, "nothing planned would be written so"))

    # --- By shape

    def _odd(self, tokens: list[Token], *, met: bool) -> list[Token]:
        """The tokens that nothing planned explains, or that stand where something else is planned."""
        odd: dict[tuple[object, ...], Token] = {}
        verdicts: dict[tuple[object, ...], str] = {}
        lines = {one.line for one in self.back.unplanned}
        for token in tokens:
            seen = (token.kind, token.value, token.role, token.prefix, token.guessed)
            verdict = verdicts.get(seen)
            if verdict is None:
                verdict = verdicts[seen] = self._verdict(token)
            if verdict != "odd":
                self.back.marks.append(Mark(*token.at, token.kind, verdict))
            elif not (met and token.at.line in lines):
                odd.setdefault(seen, token)
        return [*odd.values()]

    def _verdict(self, token: Token) -> str:
        wanted = self.by_value.get(token.value, ())
        if any(fits(one, token) for one in wanted):
            return "planned"
        known = (wanted and (token.guessed or token.role not in STRICT)) or token.value in self.hops
        return "known" if known or self._explained(token) else "odd"

    def _by_shape(self, tokens: list[Token], odd: list[Token]) -> list[Token]:
        """Tick off the planned values that are seen; pair what is not seen with what is not planned."""
        back = self.back
        seen: dict[object, list[Token]] = defaultdict(list)
        for token in tokens:
            seen[token.value].append(token)
            if token.prefix is not None:
                self._masked[token.prefix].append(token)
        words = _Words(self.lines)
        missing: list[Recognisable] = []
        for one in self.wanted:
            at = self._seen_at(one, seen, words)
            if at is not None:
                back.as_planned.append(AsPlanned(one.leaf.path, str(one.leaf.value), at))
            else:
                missing.append(one)
        missing = self._masks(tokens, missing)
        used: set[int] = set()
        still: list[Recognisable] = []
        likely = self._likely(odd, missing)
        for one in missing:
            best = max(
                ((self._nearness(one, odd[place]), place) for place in likely if place not in used),
                default=(0.0, -1),
            )
            if best[0] <= 0:
                still.append(one)
                continue
            used.add(best[1])
            self._differs(one, odd[best[1]])
        for one in still:
            back.missing.append(Missing(one.leaf.path, str(one.leaf.value), one.leaf.what))
        gone = {odd[place].value for place in used}
        left = [token for place, token in enumerate(odd) if place not in used and token.value not in gone]
        return [token for token in left if not self._instead(token)]

    def _likely(self, odd: list[Token], missing: list[Recognisable]) -> list[int]:
        """The places of the values that may stand for one that is missing: all of them where they are few, else first
        those that a slip of the hand makes of one, then those of the same network or said to be the same."""
        if len(odd) <= MOST_ODD:
            return [*range(len(odd))]
        slips = {slip for one in missing for slip in _slips(one.value)}
        nets = {_same_net(one.value) for one in missing} - {None}
        roles = STRICT & {role for one in missing for role in one.roles}

        def weight(place: int) -> int:
            token = odd[place]
            if token.kind not in ("address", "network", "mac") or slips.intersection(_slips(token.value)):
                return 0
            return 1 if token.role in roles else 2 if _same_net(token.value) in nets else 3

        return sorted(sorted(range(len(odd)), key=weight)[:MOST_ODD])

    def _instead(self, token: Token) -> bool:
        """Whether a value that is not planned stands where one is that is there elsewhere; if so, it is told."""
        if token.kind not in ("address", "mac"):
            return False
        places = {place for slip in _slips(token.value) for place in self._by_slip.get(slip, ())}
        near = (
            (self._nearness(self.wanted[place], token), place)
            for place in sorted(places)
            if _mistyped(self.wanted[place].value, token.value)
        )
        best, place = max(near, default=(0.0, -1))
        if best <= 0:
            return False
        if not any(d.path == self.wanted[place].leaf.path and d.seen == token.text for d in self.back.differs):
            self._differs(self.wanted[place], token)
        return True

    @lazy
    def _by_slip(self) -> dict[object, list[int]]:
        """The places of the planned values by what a slip of the hand leaves alike."""
        found: dict[object, list[int]] = defaultdict(list)
        for place, one in enumerate(self.wanted):
            for slip in _slips(one.value):
                found[slip].append(place)
        return found

    def _seen_at(self, one: Recognisable, seen: Mapping[object, list[Token]], words: _Words) -> int | None:
        """The line at which a planned value is seen."""
        if one.leaf.name in MASKS:
            return self._mask_seen(one)
        if isinstance(one.value, str) and one.leaf.name not in SERVICES and one.leaf.name != "box.time_zone":
            return words.line_of(one.value)
        for token in seen.get(one.value, ()):
            if fits(one, token):
                return token.at.line
        if isinstance(one.value, Network):
            for token in seen.get(one.value.first, ()):
                if token.prefix in (None, one.value.prefix) and one.leaf.name == "routes.to":
                    return token.at.line if token.prefix is not None else None
            if one.value.prefix == 0:
                return words.line_of("default")
        if one.leaf.name == "segments.scope.lease":
            return _lease_at(int(str(one.value)), words)
        return None

    def _mask_seen(self, one: Recognisable) -> int | None:
        net = one.within
        for token in self._masked.get(net.prefix, ()) if net is not None else ():
            inside = token.value.first if isinstance(token.value, Network) else token.value
            if net is not None and isinstance(inside, Address) and net.holds(inside):
                return token.at.line
        return None

    def _masks(self, tokens: list[Token], missing: list[Recognisable]) -> list[Recognisable]:
        """Tell of the subnets that stand under another mask; the planned values that are still not seen."""
        tokens = list({(t.value, t.prefix, t.role): t for t in reversed(tokens) if t.prefix is not None}.values())
        planned = {token.value for token in tokens if isinstance(token.value, Network)} & set(self.by_value)
        told: set[tuple[str, int | None]] = set()
        for one in self.wanted:
            net = one.within if one.leaf.name in MASKS else None
            if net is None:
                continue
            own = {w.value for w in self.wanted if isinstance(w.value, Address) and net.holds(w.value)}
            for token in tokens:
                whole = isinstance(token.value, Network) and token.value.first == net.first
                if token.prefix in (None, net.prefix, net.family * 8) or token.value in planned:
                    continue
                if not whole and (token.value not in own or token.role in ("rule",) or token.prefix in (32, 128)):
                    continue
                if (one.leaf.path, token.prefix) in told:
                    continue
                told.add((one.leaf.path, token.prefix))
                away = abs((token.prefix or 0) - net.prefix)
                why = "the mask is one bit off" if away == 1 else f"the mask is {away} bits off"
                seen = f"/{token.prefix}"
                entry = Differs(one.leaf.path, f"/{net.prefix}", seen, token.at.line, why, one.leaf.what)
                self.back.differs.append(entry)
                self.back.marks.append(Mark(*token.at, token.kind, "other"))
        paths = {path for path, _ in told}
        return [one for one in missing if one.leaf.path not in paths or one.leaf.name not in MASKS]

    def _nearness(self, one: Recognisable, token: Token) -> float:
        """How likely a value that is not planned stands in the place of one that is; nothing: not at all."""
        planned, seen = one.value, token.value
        said = token.role in one.roles
        if isinstance(planned, Address) and isinstance(seen, Address):
            if planned.family != seen.family or (token.role in STRICT and not said):
                return 0
            told = said and token.role in STRICT and token.role != "range"
            near = _alike(str(planned), str(seen))
            same_net = planned.family == 4 and planned.value >> 8 == seen.value >> 8
            same_net = same_net or (planned.family == 6 and planned.value >> 64 == seen.value >> 64)
            return near + said + 0.5 * same_net if near >= 0.75 or told or same_net else 0
        if isinstance(planned, Network) and isinstance(seen, Network | Address):
            near = _alike(str(planned), str(seen))
            return near if near >= 0.7 else 0
        if isinstance(planned, Mac) and isinstance(seen, Mac):
            near = _alike(str(planned), str(seen))
            return near if near >= 0.75 else 0
        if one.leaf.name == "box.time_zone" and token.kind == "zone":
            return 1
        if one.leaf.name in VLANS and token.kind == "vlan":
            return 0.5 + _alike(str(planned), str(seen)) / 2
        if isinstance(planned, str) and token.kind == "service" and one.leaf.name in SERVICES:
            return _alike(planned, str(seen))
        return 0

    def _differs(self, one: Recognisable, token: Token) -> None:
        planned, seen = str(one.leaf.value), token.text
        why = self._why(planned, seen)
        self.back.differs.append(Differs(one.leaf.path, planned, seen, token.at.line, why, one.leaf.what))
        self.back.marks.append(Mark(*token.at, token.kind, "other"))

    def _why(self, planned: str, seen: str) -> str:
        """In what way a value is otherwise."""
        plain = seen.partition("/")[0].strip("\"' ")
        if plain in self._planned_before:
            return "it was planned so before: the last revision has not reached the box"
        one, other = planned.strip("\"' "), seen.strip("\"' ")
        if sorted(one) == sorted(other) and one != other:
            return "digits are swapped"
        steps = sum(a != b for a, b in zip(one, other, strict=False)) + abs(len(one) - len(other))
        held = self.known.get(plain)
        if held:
            return f"that is {held}"
        numbers = re.findall(r"\d+", one), re.findall(r"\d+", other)
        if len(numbers[0]) == len(numbers[1]) > 0:
            apart = [abs(int(a) - int(b)) for a, b in zip(*numbers, strict=True)]
            if sum(bool(step) for step in apart) == 1 and max(apart) == 1:
                return "it is the neighbour" if "." in one else "it is one off"
        if steps == 1 and len(one) != len(other):
            return "a character is missing" if len(one) > len(other) else "a character is too many"
        if steps == 1:
            return "one character is another"
        return "it is another value"

    @lazy
    def _planned_before(self) -> set[str]:
        """The values of the box in earlier revisions."""
        views = (BoxView(one, self.key, self.kind, self.organisation) for one in self.before if self.key in one.devices)
        return {str(leaf.value) for view in views for leaf in view.planned}

    # --- What is there and not planned

    def _explained(self, token: Token) -> bool:
        """Whether the plan, the site or the world explains something that this box is not told."""
        value = token.value
        if self.kind is not None and self.kind.write_out is not None and token.text in self.kind.write_out.known:
            return True
        if token.kind == "mask":
            return True
        if isinstance(value, Network):
            masked = any(w.within and w.within.first == value.first for w in self.wanted if w.leaf.name in MASKS)
            return value.prefix == 0 or self._a_network(value) or masked
        if isinstance(value, Address):
            return self._an_address(value, token)
        if isinstance(value, Mac):
            own = {*self.view.device.macs, *(h.mac for h in self.plan.hosts.values())}
            return value in own or token.role != "reserved"
        if token.kind == "vlan":
            return not any(one.leaf.name in VLANS for one in self.wanted)
        if token.kind == "service":
            return not self.view.settings.filters or self._a_service(str(value))
        if token.kind == "mtu":
            planned = {line.mtu for line in self.plan.circuits.values() if line.mtu}
            return value in planned or value in (1500, 65536) or not planned
        return token.kind != "zone"

    def _a_network(self, net: Network) -> bool:
        nets = [n for s in self.plan.segments.values() for n in (s.subnet, s.subnet6) if n is not None]
        nets += [n for c in self.plan.circuits.values() for n in (c.subnet, c.subnet6, *c.routed_blocks) if n]
        nets += [n for a in self.view.device.access.values() for n in a.networks]
        nets += [n for p in self.view.device.publications.values() for n in p.sources]
        loopback = net.family == 4 and net.first.value >> 24 == 127
        multicast = net.first.value >> 24 >= 224 if net.family == 4 else net.first.value >> 120 == 0xFF
        return net in nets or is_link_local(net.first) or loopback or multicast

    def _an_address(self, value: Address, token: Token) -> bool:
        if value.family == 4:
            if value.value >> 24 in (0, 127) or value.value >= 0xE0000000 or is_link_local(value):
                return True
        elif value.value in (0, 1) or is_link_local(value) or value.value >> 120 == 0xFF:
            return True
        if token.role == "broadcast":
            return True
        if token.prefix is not None and token.prefix < 8 * (4 if value.family == 4 else 16) and token.kind == "address":
            return token.role in ("rule", "range", "reserved") and str(value) in self.known
        if token.role not in STRICT and str(value) in self.known:
            return True
        if value in self._ends_of_subnets:
            return token.role not in STRICT
        if token.role in ("", "leased") and token.prefix is None:
            return any(span.holds(value) for span in self._spans)  # a client that has leased it
        return False

    @lazy
    def _ends_of_subnets(self) -> set[Address]:
        """The first and last addresses of the site's subnets, which nobody has."""
        nets = [
            *(one.subnet for one in self.plan.segments.values()),
            *(one.subnet for one in self.plan.circuits.values()),
        ]
        return {end for net in nets if net is not None and net.family == 4 for end in (net.first, net.last)}

    @lazy
    def _spans(self) -> list[Span]:
        return [one.scope.span for one in self.plan.segments.values() if one.scope.span is not None]

    def _a_service(self, told: str) -> bool:
        services = known_services(told)
        if services is None:
            return True
        return any(
            (known_services(text) or services) & services == services
            for text in [
                *(a.service for a in self.view.device.allows.values() if a.service != "any"),
                *(p.service for p in self.view.device.publications.values()),
                "udp/67-68", "udp/53", "tcp/53", "tcp/22", "tcp/443", "udp/546-547", "udp/123",
            ]
        )  # fmt: skip

    def _leftovers(self, odd: list[Token]) -> None:
        """Tell of what is there and not planned, each value once."""
        told: set[tuple[str, object]] = set()
        for token in odd:
            new = (token.kind, token.value) not in told
            told.add((token.kind, token.value))
            if len(told) > MOST_UNPLANNED:
                continue
            self.back.marks.append(Mark(*token.at, token.kind, "unplanned"))
            if not new:
                continue
            self.back.unplanned.append(
                Unplanned(_KINDS.get(token.role, token.kind), token.text, token.at.line, self._leftover(token))
            )

        more = len(told) - MOST_UNPLANNED
        if more > 0:
            last = odd[-1].at.line
            self.back.unplanned.append(Unplanned("more", f"{more:,} more values", last, "they are not planned, either"))

    def _leftover(self, token: Token) -> str:
        factory = self.kind.factory.subnet if self.kind is not None else None
        value = token.value
        inside = value.first if isinstance(value, Network) else value
        if factory is not None and isinstance(inside, Address) and factory.holds(inside):
            return "it lies in the network that the box comes with"
        if self.by_value.get(value):
            return f"it is planned as {self.by_value[value][0].leaf.what}, and stands here as something else"
        told = {
            "dns": "a name server that is not planned",
            "time": "a time server that is not planned",
            "gateway": "a way out that is not planned",
            "range": "a range that is not planned is still filled in",
            "relay": "requests for leases are passed to somebody who is not planned",
            "rule": "a rule or translation that is not planned",
            "network": "a network that is not planned",
            "reserved": "something is kept for somebody who is not planned",
        }
        by_kind = {
            "vlan": "a VLAN that the box is not to carry",
            "service": "a service that no rule of the plan names",
            "mac": "a MAC that is not planned",
            "zone": "a time zone that is not planned",
            "mtu": "an MTU that is not planned",
        }
        return by_kind.get(token.kind) or told.get(token.role) or "an address that is not planned"

    def _clear_secrets(self, lines: Iterable[TextLine]) -> None:
        for line in lines:
            small = line.text.lower()
            match = _SECRET.search(line.text) if any(word in small for word in _SECRETIVE) else None
            if match is not None and not hidden(match[1]) and len(match[1].strip("\"';,")) >= 4:
                self._clear(line.number, "a secret stands here as it is: change it, and have the box show it hashed")

    def _clear(self, line: int, why: str) -> None:
        if line not in self.back.secrets:
            self.back.secrets.append(line)
            self.back.unplanned.append(Unplanned("secret", "(withheld)", line, why))

    def _old_ways(self, lines: Iterable[TextLine]) -> None:
        planned = {str(one.service) for one in self.view.device.access.values()}
        for line in lines:
            if "telnet" in line.text.casefold() and "telnet" not in planned and not _NEGATED.search(line.text):
                why = "log-in in clear text is on, and not planned"
                self.back.unplanned.append(Unplanned("service", "telnet", line.number, why))
                return

    # --- Whose text it is

    def _about(self, others: Mapping[str, SitePlan]) -> str:
        """Another box whose text this is, by its host name and its addresses."""
        text = "\n".join(line.text for line in self.lines).casefold()
        seen = set(_DOTTED.findall(text))
        ours = _own_addresses(self.plan, self.key)
        named_here = _says(text, self.view.device.name)
        best, called = 1.0, ""
        for plan in [self.plan, *others.values()]:
            for key, device in plan.devices.items():
                if plan.key == self.plan.key and key == self.key:
                    continue
                theirs = _own_addresses(plan, key)
                mine = len((ours - theirs) & seen) + 3 * named_here
                score = len((theirs - ours) & seen) + 3 * _says(text, device.name)
                if score > best and score > 1.5 * mine:
                    best, called = score, f"{named(device)} at {plan.customer}/{plan.site}"
        return called


def _says(text: str, name: str | None) -> bool:
    return any(True for _ in whole_words(text, (name or "").casefold()))


def _own_addresses(plan: SitePlan, key: str) -> set[str]:
    device = plan.devices[key]
    found = {str(one) for one in (*device.addresses.values(), *device.addresses6.values())}
    for use in device.ports.values():
        circuit = plan.circuits.get(use.circuit or "")
        if circuit is not None and circuit.address is not None:
            found.add(str(circuit.address))
    if device.routes_packets:
        carried = (plan.segments[s] for s in device.carried() if s in plan.segments)
        found |= {str(segment.gateway) for segment in carried if segment.gateway is not None}
    return found


def _known_of_site(plan: SitePlan) -> dict[str, str]:
    """The addresses of a site by whose they are."""
    found: dict[str, str] = {}
    for host in plan.hosts.values():
        for address in (host.address, host.address6):
            if address is not None:
                found[str(address)] = f"the address of {host.name}"
    for segment in plan.segments.values():
        for address in (segment.gateway, segment.gateway6):
            if address is not None:
                found[str(address)] = f"the gateway of {segment.label}"
    for circuit in plan.circuits.values():
        for address, what in ((circuit.address, "the site's own address on"), (circuit.gateway, "the gateway of")):
            if address is not None:
                found[str(address)] = f"{what} {circuit.label}"
    for key, device in plan.devices.items():
        for address in (*device.addresses.values(), *device.addresses6.values()):
            found[str(address)] = f"the address of {named(plan.devices[key])}"
    return found


class _Words:
    """What lines say, in small letters, to be looked up."""

    def __init__(self, lines: list[TextLine]) -> None:
        plain = [line.text.casefold() for line in lines]
        self.text = "\n".join(plain)
        self.numbers = [line.number for line in lines]
        self.begins = [0, *accumulate(len(text) + 1 for text in plain)]

    def line_of(self, value: str) -> int | None:
        """The first line that says a text, as it is or with its quotes and backslashes escaped."""
        plain = value.casefold()
        escaped = plain.replace("\\", "\\\\").replace('"', '\\"')
        at = next(whole_words(self.text, plain), None)
        if at is None and escaped != plain:
            at = next(whole_words(self.text, escaped), None)
        return None if at is None else self.numbers[bisect_right(self.begins, at) - 1]


def _lease_at(seconds: int, words: _Words) -> int | None:
    told = [str(seconds), f"{seconds}s"]
    for size, letter in ((60, "m"), (3600, "h"), (86400, "d")):
        if seconds % size == 0:
            told.append(f"{seconds // size}{letter}")
    return next((at for at in (words.line_of(one) for one in told) if at is not None), None)


def _alike(one: str, other: str) -> float:
    """How alike two short texts are, from 0 to 1: by what they begin and end with alike."""
    least = min(len(one), len(other))
    first = next((at for at in range(least) if one[at] != other[at]), least)
    last = next((at for at in range(least - first) if one[-1 - at] != other[-1 - at]), least - first)
    return 2 * (first + last) / (len(one) + len(other) or 1)


def _same_net(value: object) -> tuple[int, int] | None:
    """The /24 or /64 that an address lies in."""
    return (value.family, value.value >> (8 if value.family == 4 else 64)) if isinstance(value, Address) else None


def _slips(value: object) -> Iterator[object]:
    """What a slip as `_mistyped` knows them leaves alike: all parts but one, or all digits."""
    if isinstance(value, Address) and value.family == 6:
        parts = tuple(str(value).split(":"))
        yield len(parts), *sorted("".join(parts))
        for place in range(len(parts)):
            yield place, *parts[:place], None, *parts[place + 1 :]
    elif isinstance(value, Address | Mac):
        yield "".join(sorted(str(value)))
        for place in range(0, 32 if isinstance(value, Address) else 48, 8):
            yield type(value), place, value.value & ~(0xFF << place)


def _mistyped(planned: object, seen: object) -> bool:
    """Whether one value may have become the other by a slip: all parts but one the same, or a few digits swapped."""
    if type(planned) is not type(seen):
        return False
    parts = [re.split(r"[.:]", str(one)) for one in (planned, seen)]
    if len(parts[0]) != len(parts[1]):
        return False
    apart = [(one, other) for one, other in zip(*parts, strict=True) if one != other]
    if len(apart) == 1:
        one, other = apart[0]
        wrong = sum(a != b for a, b in zip(one, other, strict=False)) + abs(len(one) - len(other))
        near = one.isdigit() and other.isdigit() and abs(int(one) - int(other)) <= 2
        return wrong <= 1 or near or sorted(one) == sorted(other)
    return sorted("".join(one for one, _ in apart)) == sorted("".join(one for _, one in apart))
