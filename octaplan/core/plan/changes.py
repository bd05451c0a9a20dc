"""What changed between two plans, in words: the sentence of a revision, the preview of an import."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from octaplan.core.plan.fields import FIELDS
from octaplan.core.plan.inwords import Names, departure_words, entry_words, members, port_parts, value_words
from octaplan.core.plan.questions import BY_NAME
from octaplan.core.plan.site import SitePlan

_KINDS = {
    "circuits": "circuit",
    "segments": "segment",
    "hosts": "host",
    "devices": "device",
    "wireless": "Wi-Fi",
    "slots": "secret",
    "survivors": "value that must survive",
}

#: Maps inside a member whose entries change one by one.
_INNER = (
    *("scope", "ports", "addresses", "addresses6", "routes", "translations", "allows", "publications", "relays"),
    *("access", "licences"),
)

#: Values that are the ids of other members.
_IDS = ("segment", "host")


@dataclass(frozen=True, slots=True)
class Change:
    """One value that differs. `path` is a JSON pointer, `subject` empty for the site itself."""

    path: str
    subject: str
    field: str
    before: str
    after: str

    def __str__(self) -> str:
        if self.path.startswith("/accepted/"):
            return f"{'Accepted' if self.after else 'No longer accepted:'} {self.subject}"
        if not self.field:
            return f"{'Added' if self.after else 'Removed'} {self.subject}"
        what = f"{self.subject} {self.field}".strip()
        return f"{what[:1].upper()}{what[1:]} {self.before or 'empty'} → {self.after or 'empty'}"


def changes(before: SitePlan | None, after: SitePlan) -> list[Change]:
    """Every difference between two plans of one site, in the order of the document."""
    return changes_between(before.document() if before else {}, after.document())


def changes_between(before: Mapping[str, Any], after: Mapping[str, Any]) -> list[Change]:
    """The same of their documents; an empty one for a plan that is new."""
    return list(_differences(before, after))


def compared(one: SitePlan, other: SitePlan) -> list[Change]:
    """Every difference between two plans, of one site or of two.

    Members are the same when their ids are and it is one site; else when their labels or names are (hosts: in the
    segment that matches). Paths are those of the first plan, or of the second for what only it has.
    """
    first, second = one.document(), other.document()
    if one.key != other.key:  # what was answered about one site says nothing about another
        first["answers"] = second["answers"] = {}
    return list(_differences(first, _renamed(first, second, by_id=one.key == other.key)))


def _renamed(one: Mapping[str, Any], other: Mapping[str, Any], by_id: bool) -> dict[str, Any]:
    """The second document with the ids of the first where members match."""
    renamed = dict(other)
    names: dict[str, str] = {}
    for kind in _KINDS:
        here = one.get(kind, {})
        known = {_matched(member): key for key, member in here.items()}
        found: dict[str, Any] = {}
        for key, member in other.get(kind, {}).items():
            if "segment" in member:
                member = member | {"segment": names.get(member["segment"], member["segment"])}
            same = key if by_id and key in here else known.get(_matched(member), "")
            if not same or same in found or (by_id and same != key and same in other[kind]):
                same = key if key not in here and key not in found else f"{key}~"
            found[same] = member
            names[key] = same
        renamed[kind] = found
    return renamed


def _matched(member: Mapping[str, Any]) -> tuple[str, str]:
    return _name(member).casefold(), str(member.get("segment") or "")


def _differences(old: Mapping[str, Any], new: Mapping[str, Any]) -> Iterator[Change]:
    apart = (*_KINDS, "accepted", "departures", "answers", "schema", "customer", "site")
    own_old, own_new = ({k: v for k, v in d.items() if k not in apart} for d in (old, new))
    names = members(new, old)
    yield from _fields("", "", own_old, own_new, names)
    for kind, noun in _KINDS.items():
        was, now = old.get(kind, {}), new[kind]
        for key in [*was, *(key for key in now if key not in was)]:
            path = f"/{kind}/{key}"
            if key not in now:
                yield Change(path, _called(noun, _name(was[key])), "", _name(was[key]), "")
            elif key not in was:
                yield Change(path, _called(noun, _name(now[key])), "", "", _name(now[key]))
            elif was[key] != now[key]:
                yield from _fields(path, _name(was[key]), was[key], now[key], names)
    yield from _answers(old, new)
    was, now = old.get("departures", {}), new["departures"]
    for key in [*was, *(key for key in now if key not in was)]:
        if was.get(key) != now.get(key):
            told = [departure_words(one[key], names) if key in one else "" for one in (was, now)]
            yield Change(f"/departures/{key}", "", "meant otherwise", *told)
    was, now = old.get("accepted", {}), new["accepted"]
    for key in [*was, *now]:
        accepted = was.get(key) or now.get(key)
        if key not in now or key not in was:
            taken_back = key not in now
            subject = f"{accepted['rule']} ({accepted['reason']})"
            yield Change(f"/accepted/{key}", subject, "", "1" if taken_back else "", "" if taken_back else "1")


def _answers(old: Mapping[str, Any], new: Mapping[str, Any]) -> Iterator[Change]:
    """Answers of the intake that say something else, or were confirmed; those whose value is a field are told there."""
    was, now = old.get("answers", {}), new["answers"]
    for key in [*was, *(key for key in now if key not in was)]:
        before, after = was.get(key), now.get(key)
        if before == after:
            continue
        name, _, circuit = key.partition(".")
        question = BY_NAME.get(name)
        short = question.short if question else name
        line = (new["circuits"].get(circuit) or old.get("circuits", {}).get(circuit) or {}).get("label", "")
        texts = [answer["text"] if answer else "" for answer in (before, after)]
        sure = [bool(answer and answer["confirmed"]) for answer in (before, after)]
        if texts[0] != texts[1] and (question is None or not question.field or "none" in texts):
            yield Change(f"/answers/{key}", line, f"{short} answered", *texts)
        elif sure[0] != sure[1]:
            told = [f"{text} (confirmed)" if yes else text for text, yes in zip(texts, sure, strict=True)]
            yield Change(f"/answers/{key}", line, f"{short} answered", *told)


def _fields(path: str, subject: str, old: Mapping[str, Any], new: Mapping[str, Any], names: Names) -> Iterator[Change]:
    flat_old, flat_new = dict(_flat(old)), dict(_flat(new))
    known = FIELDS.get(path.split("/")[1] if path else "site", {})
    for name in [*flat_old, *(name for name in flat_new if name not in flat_old)]:
        was, now = flat_old.get(name), flat_new.get(name)
        if was == now:
            continue
        map_, _, entry = name.partition("/")
        label = known[name].words if name in known else entry_words(map_, entry, names)
        if map_ == "ports" and was and now and was["mode"] == now["mode"]:
            for part, before, after in port_parts(was, now, names):
                yield Change(f"{path}/{name}", subject, f"{label} {part}", before, after)
            continue
        kind = "id" if name in _IDS else map_ if entry else ""
        before, after = (value_words(value, names, kind) for value in (was, now))
        if before == after:  # left out, none, an empty entry: they read alike, and are not the same
            before, after = ("left out" if value is None else before or "none" for value in (was, now))
        if before == after:  # two members that are called the same
            after = f"another {after}"
        yield Change(f"{path}/{name}", subject, label, before, after)


def _flat(values: Mapping[str, Any]) -> Iterator[tuple[str, Any]]:
    for name, value in values.items():
        if name in _INNER and isinstance(value, dict):
            yield from ((f"{name}/{part}", inner) for part, inner in value.items())
        else:
            yield name, value


def _name(member: Mapping[str, Any]) -> str:
    if "what" in member:
        return f"{member['what']} {member['value']}"
    return str(member.get("label") or member.get("name") or member.get("role"))


def _called(noun: str, name: str) -> str:
    """A member by its kind and name, once where the name says its kind: `host 3`, not `host host 3`."""
    return name if name.casefold().startswith(f"{noun.casefold()} ") else f"{noun} {name}"


def _grouped(differences: list[Change], most: int) -> Iterator[Change | str]:
    """The changes, of which hosts that came or went together are one when they are more than can be told."""
    whole = {True: "Added", False: "Removed"}
    hosts = Counter(bool(c.after) for c in differences if c.path.startswith("/hosts/") and not c.field)
    for change in differences:
        came = bool(change.after)
        if change.path.startswith("/hosts/") and not change.field and hosts[came] > most:
            yield f"{whole[came]} {hosts[came]:,} hosts"
        else:
            yield change


def _told(change: Change | str) -> str:
    if isinstance(change, str):
        return change
    return "Segments put in another order" if change.field == "order" else str(change)


def sentence(differences: list[Change], most: int = 3) -> str:
    """A revision's own sentence: the first few changes and how many more there are."""
    if not differences:
        return "Nothing changed"
    weighty = sorted(differences, key=lambda change: change.field == "order")  # a place in the list says least
    told = [*dict.fromkeys(map(_told, _grouped(weighty, most)))]
    shown = "; ".join(told[:most])
    more = len(told) - most
    return f"{shown}; and {more:,} more" if more > 0 else shown
