"""Hardware types: what is true of every box of one model, its factory state above all.

A type is a document (schema `octaplan.hardware-type/1`) that is kept in versions, like a plan.
"""

from __future__ import annotations

from datetime import date
from enum import StrEnum
from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, ConfigDict, Field, StringConstraints, model_validator

from octaplan.core.plan.device import Service
from octaplan.core.values.addresses import BITS, Network
from octaplan.core.values.kinds import AddressField, Name, Part, PortName, SlotName, SpanField, Text, TypeKey, Word
from octaplan.core.values.lazy import lazy

TYPE_SCHEMA: Literal["octaplan.hardware-type/1"] = "octaplan.hardware-type/1"

#: Left out of generated secrets: hard to tell apart in print, or read aloud.
CONFUSABLE = "0Oo1lI|5S8B2Z`'\"~"

LOWER = "abcdefghijklmnopqrstuvwxyz"
UPPER = LOWER.upper()
DIGITS = "0123456789"
SYMBOLS = "!#$%&()*+,-./:;<=>?@[]^_{}~"


class BoxKind(StrEnum):
    """What sort of box it is."""

    ROUTER = "router"
    FIREWALL = "firewall"
    SWITCH = "switch"
    ACCESS_POINT = "access point"
    MODEM = "modem"


class Medium(StrEnum):
    """What goes into a port."""

    COPPER = "copper"
    FIBRE = "fibre"
    CELLULAR = "cellular"
    CONSOLE = "console"
    USB = "usb"


class FactoryRole(StrEnum):
    """What a port is before anybody has touched the box."""

    INTERNET = "internet"
    INSIDE = "inside"
    MANAGEMENT = "management"
    NONE = "none"


class Power(StrEnum):
    """Where a box gets its power from: a supply of its own, an injector in its cable, or the port it hangs on."""

    SUPPLY = "supply"
    INJECTOR = "injector"
    PORT = "port"

    @property
    def words(self) -> str:
        return {"supply": "its own power supply", "injector": "an injector", "port": "the port it hangs on"}[self]


class Port(Part):
    """A port as it is printed on the box."""

    name: PortName
    medium: Medium = Medium.COPPER
    factory_role: FactoryRole = FactoryRole.INSIDE
    bridge: Name | None = Field(None, description="Ports with the same word are bridged together in factory state")
    laptop: bool = Field(True, description="Whether the bench laptop may plug in here")
    why_not: Text | None = None
    powers: bool = Field(False, description="Whether it powers what hangs on it, over Ethernet (IEEE 802.3)")

    @property
    def carries(self) -> bool:
        """Whether it takes network cables."""
        return self.medium in (Medium.COPPER, Medium.FIBRE)


class Addressing(StrEnum):
    """How a box out of its carton comes by an address."""

    FIXED = "fixed"
    DHCP = "dhcp"
    NONE = "none"


class FirstPassword(StrEnum):
    """What the password is when the box comes out of its carton."""

    BLANK = "blank"
    KNOWN = "known"
    LABEL = "label"
    CHOSEN = "chosen"

    @property
    def words(self) -> str:
        return {
            "blank": "none: leave the field empty",
            "known": "the maker's own",
            "label": "printed on the label of this very box",
            "chosen": "none yet: it asks you to choose one",
        }[self]


class Factory(Part):
    """The state out of the carton."""

    addressing: Addressing = Addressing.FIXED
    address: AddressField | None = None
    prefix: int | None = Field(None, ge=0, le=128)
    leases: SpanField | None = Field(None, description="What it leases to the laptop; empty when it serves no DHCP")
    web: Literal["https", "http"] | None = Field(None, description="How its own pages open; empty when it has none")
    web_port: int | None = Field(None, ge=1, le=65_535)
    certificate_warning: Text | None = Field(None, description="What the browser will say, so that nobody is startled")
    services: list[Service] = Field(default=[], max_length=8, description="What answers on the network")
    user: Text | None = None
    password: FirstPassword = FirstPassword.CHOSEN
    known_password: Text | None = Field(None, description="The maker's own, as its leaflet has it")
    interfaces_disabled: bool = False
    blocked: bool = Field(False, description="Everything is blocked until it is allowed")

    @property
    def subnet(self) -> Network | None:
        if self.address is None or self.prefix is None:
            return None
        return Network.holding(self.address, self.prefix)

    @model_validator(mode="after")
    def _whole(self) -> Factory:
        if self.address is not None and self.prefix is not None and self.prefix > BITS[self.address.family]:
            raise ValueError(f"the mask /{self.prefix} is too long for {self.address}")
        if self.addressing is Addressing.FIXED and self.subnet is None:
            raise ValueError("a fixed factory address needs address and mask: write 192.168.77.1 and 24")
        if self.password is FirstPassword.KNOWN and not self.known_password:
            raise ValueError("the known first password is empty: write it as the leaflet has it")
        if self.leases is not None and (self.address is None or self.subnet is None):
            raise ValueError("what it leases is known, but not its own address: write that too")
        if self.leases is not None and self.address is not None and self.subnet is not None:
            usable, leases = self.subnet.usable, self.leases
            if not leases.size or not (usable.holds(leases.first) and usable.holds(leases.last)):
                raise ValueError(f"it leases {leases}, which is not within {usable}: correct one of the two")
            if leases.holds(self.address):
                raise ValueError(
                    f"it leases {leases}, which holds its own address {self.address}: correct one of the two"
                )
        return self


class Console(Part):
    """How to talk to the box by cable."""

    connector: Text = "RJ45"
    speed: int = Field(9600, ge=300, le=4_000_000, description="Bits per second")
    data_bits: int = Field(8, ge=5, le=8)
    parity: Literal["none", "even", "odd"] = "none"
    stop_bits: Literal[1, 2] = 1
    flow_control: Literal["none", "hardware", "software"] = "none"

    @property
    def words(self) -> str:
        frame = f"{self.data_bits}{self.parity[0].upper()}{self.stop_bits}"
        flow = "no flow control" if self.flow_control == "none" else f"{self.flow_control} flow control"
        return f"{self.connector}, {self.speed} bit/s, {frame}, {flow}"


class Takes(StrEnum):
    """When a change takes effect."""

    AT_ONCE = "at once"
    APPLY = "after apply"
    COMMIT = "after commit"


class SlotRule(Part):
    """What the hardware demands of one secret."""

    label: Text | None = None
    shortest: int = Field(12, ge=1, le=128)
    longest: int = Field(32, ge=1, le=128)
    lower: bool = Field(True, description="A small letter must be in it")
    upper: bool = Field(True, description="A capital letter must be in it")
    digit: bool = True
    symbol: bool = False
    forbidden: Text = Field("", description="Characters that the box does not take")
    digits_only: bool = Field(False, description="A PIN")
    distinct_from: list[SlotName] = Field(default=[], max_length=16)

    def characters(self) -> dict[str, str]:
        """The permitted characters of each class, by the name of the class."""
        classes = {"digit": DIGITS} if self.digits_only else {
            "lower": LOWER, "upper": UPPER, "digit": DIGITS, "symbol": SYMBOLS,
        }  # fmt: skip
        return {name: "".join(c for c in every if c not in self.forbidden) for name, every in classes.items()}

    @property
    def needed(self) -> list[str]:
        if self.digits_only:
            return ["digit"]
        return [name for name in ("lower", "upper", "digit", "symbol") if getattr(self, name)]

    @model_validator(mode="after")
    def _can_be_met(self) -> SlotRule:
        if self.shortest > self.longest:
            raise ValueError(f"no secret is at least {self.shortest} and at most {self.longest} long: swap the two")
        characters = self.characters()
        for name in self.needed:
            if not characters[name]:
                word = {"lower": "small letters", "upper": "capital letters", "digit": "digits", "symbol": "symbols"}
                raise ValueError(f"it needs {word[name]} and forbids them all: no secret can be both. Forbid fewer")
        if len(self.needed) > self.longest:
            raise ValueError(f"{len(self.needed)} sorts of characters do not fit into {self.longest}: allow more")
        return self


class FirmwareSource(StrEnum):
    """Where a box gets new firmware from."""

    LAPTOP = "laptop"
    INTERNET = "internet"
    STICK = "stick"

    @property
    def words(self) -> str:
        return {"laptop": "a file on the laptop", "internet": "the internet", "stick": "a memory stick"}[self]


class Firmware(Part):
    """The level of software that a box is to have."""

    wanted: Text | None = None
    source: FirmwareSource = FirmwareSource.LAPTOP
    how: Text | None = Field(None, description="How it is updated")


class Topic(StrEnum):
    """The part of a run sheet that a note is about."""

    CARTON = "carton"
    LOG_IN = "log-in"
    FIRMWARE = "firmware"
    IDENTITY = "identity"
    INTERNET = "internet"
    INSIDE = "inside"
    RULES = "rules"
    WIFI = "wifi"
    ACCESS = "access"
    TAKING_EFFECT = "taking effect"
    SAVING = "saving"
    RESTART = "restart"
    BACKUP = "backup"


class WritePart(StrEnum):
    """The parts of a write-out, in the order of the run sheet."""

    IDENTITY = "identity"
    INTERNET = "internet"
    INSIDE = "inside"
    SCOPES = "scopes"
    ROUTES = "routes"
    RULES = "rules"
    WIFI = "wifi"
    ACCESS = "access"
    SAVE = "save"


Template = Annotated[
    str,
    BeforeValidator(lambda told: "\n".join(map(str, told)) if isinstance(told, list) else told),
    StringConstraints(max_length=20_000),
]


class AskedBack(Part):
    """Something that the box asks back while text is pasted, and what to answer."""

    question: Text
    answer: Text


class Verb(StrEnum):
    """What a box can be asked to do where it takes text, beside taking settings."""

    ABOUT = "about"
    SHOW = "show"
    PASSWORD = "password"  # noqa: S105  (a word of the terminal)
    APPLY = "apply"
    COMMIT = "commit"
    CONFIRM = "confirm"
    SAVE = "save"
    RESTART = "restart"
    FIRMWARE = "firmware"
    OFF = "off"
    REMOVE = "remove"
    BACKUP = "backup"
    PUT_BACK = "put-back"
    LEAVE = "leave"


class WriteOut(Part):
    """How a box of this type is told its settings as text: a template for each part, and how the text is pasted."""

    language: Text = Field(description="What sort of text it is, in a few words")
    parts: dict[WritePart, Template] = Field(default={}, max_length=16, description="A template by part")
    not_written: list[Word] = Field(
        default=[], max_length=64, description="Values that the type takes by other ways than text, as `box.location`"
    )
    comment: Annotated[str, StringConstraints(max_length=8)] = Field(
        "", description="What begins a line that the box passes over"
    )
    lines_at_once: int = Field(40, ge=1, le=1_000, description="So many lines the console takes before it must rest")
    prompt: Annotated[str, StringConstraints(max_length=80)] = Field(
        "", description="What the box shows when it waits for more"
    )
    asks: list[AskedBack] = Field(default=[], max_length=32)
    refusals: list[Text] = Field(default=[], max_length=32, description="Words by which the box says no")
    commands: dict[Verb, Text] = Field(
        default={}, max_length=16, description="What is typed for a thing to be done, where it is not the word itself"
    )
    known: dict[Name, Text] = Field(
        default={}, max_length=200, description="What boxes of this type print that no plan holds, each with a reason"
    )

    def command(self, verb: Verb) -> str:
        """What is typed for a thing to be done."""
        return self.commands.get(verb, str(verb))


class Note(Part):
    """Something learned the hard way. Without a topic it is told before anything is begun."""

    text: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=1_000)]
    by: Text
    on: date
    about: Topic | None = None


class HardwareType(Part):
    """What is true of every box of one model."""

    schema_: Literal["octaplan.hardware-type/1"] = Field(TYPE_SCHEMA, alias="schema")
    key: TypeKey
    maker: Name
    model: Name
    kind: BoxKind
    panel: list[Port] = Field(default=[], max_length=128, description="The ports, in the order they are seen")
    factory: Factory
    console: Console | None = None
    takes: Takes = Takes.AT_ONCE
    confirms: bool = Field(
        False, description="Whether it takes changes back that nobody confirms within the time that was told with them"
    )
    kept: Literal["always", "when saved"] = Field("always", description="Whether a change outlives a power cut")
    powered_by: list[Power] = Field(
        default=[Power.SUPPLY], min_length=1, max_length=3, description="Where it can get its power from"
    )
    radio: bool = Field(False, description="Whether it has Wi-Fi of its own")
    restart_needed: bool = Field(False, description="Whether it must be restarted for changes to hold")
    ssh_needs_full_name: bool = Field(False, description="Whether its SSH stays off without host name and domain")
    slots: dict[SlotName, SlotRule] = Field(default={}, max_length=16)
    firmware: Firmware = Firmware()
    licences: dict[Word, Text] = Field(default={}, max_length=16, description="What each licence is needed for")
    leftovers: list[Text] = Field(default=[], max_length=32, description="What its own wizard leaves to be removed")
    lights: dict[Name, Text] = Field(
        default={}, max_length=32, description="What each light should do when all is well"
    )
    restconf: bool = Field(False, description="Whether it takes its settings over RESTCONF (RFC 8040) too")
    write_out: WriteOut | None = Field(None, description="How it is told its settings as text")
    notes: list[Note] = Field(default=[], max_length=200)

    model_config = ConfigDict(populate_by_name=True)

    @model_validator(mode="after")
    def _slots_exist(self) -> HardwareType:
        if len(self.ports) < len(self.panel):
            raise ValueError("two ports have the same name: name each as it is printed on the box")
        for name, rule in self.slots.items():
            for other in rule.distinct_from:
                if other not in self.slots or other == name:
                    raise ValueError(f"slot {name} must differ from {other!r}, which is no other slot of this type")
        return self

    @lazy
    def ports(self) -> dict[str, Port]:
        """The ports by name, in the order of the panel."""
        return {port.name: port for port in self.panel}

    @property
    def title(self) -> str:
        return f"{self.maker} {self.model}"

    def powers(self, port: str | None) -> bool:
        """Whether it has a port of this name that powers what hangs on it."""
        return port in self.ports and self.ports[port].powers

    def document(self) -> dict[str, Any]:
        """The type as plain JSON values."""
        return self.model_dump(mode="json", by_alias=True)

    def network_ports(self, *roles: FactoryRole) -> list[str]:
        """The ports that take network cables, of some factory roles, or of all."""
        return [name for name, port in self.ports.items() if port.carries and (not roles or port.factory_role in roles)]

    def laptop_ports(self) -> list[str]:
        """The ports at which the factory address answers and the laptop may plug in."""
        if self.factory.interfaces_disabled or self.factory.addressing is Addressing.NONE:
            return []
        inside = self.network_ports(FactoryRole.INSIDE, FactoryRole.MANAGEMENT)
        return [name for name in inside if self.ports[name].laptop and self.ports[name].medium is Medium.COPPER]
