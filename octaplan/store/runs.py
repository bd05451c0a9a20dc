"""How far boxes are on the bench and which sites have left: an immutable part of the snapshot that readers share."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from enum import StrEnum
from typing import Any, NamedTuple


class Result(StrEnum):
    """What became of a step."""

    DONE = "done"
    SKIPPED = "skipped"
    FAILED = "failed"

    @property
    def words(self) -> str:
        return "trouble" if self is Result.FAILED else str(self)


class Measured(NamedTuple):
    """One answer as it was recorded."""

    text: str
    outcome: str
    words: str


class AskedValue(NamedTuple):
    """A value that a step asked to be typed; of a secret its slot and its number."""

    label: str
    text: str
    secret: str = ""
    number: int = 0


class AskedStep(NamedTuple):
    """What a step was when it was recorded."""

    title: str = ""
    group: str = ""
    values: tuple[AskedValue, ...] = ()


class BoxOfRun(NamedTuple):
    """Which box a run is of, as far as it was known: its host name, its type, what its label says."""

    name: str = ""
    type: str = ""
    serial: str = ""
    asset_tag: str = ""


@dataclass(frozen=True, slots=True)
class Ticked:
    """What became of a step. `touched` says that the plan asks for something else since.

    `asked` is what the step asked for then; `accepted_by` who accepted what was skipped of it.
    """

    result: Result
    at: datetime
    by: str
    note: str
    measured: dict[str, Measured]
    digest: str
    asked: AskedStep
    accepted_by: str = ""
    accepted_at: datetime | None = None
    touched: bool = False


@dataclass(frozen=True, slots=True)
class BackupTaken:
    """A back-up without its contents."""

    id: int
    name: str
    size: int
    sha256: str
    revision: int
    at: datetime
    by: str


@dataclass(frozen=True, slots=True)
class DeviceRun:
    """The newest run of one device."""

    id: int
    at: datetime
    by: str
    ticks: Mapping[str, Ticked]
    box: BoxOfRun
    backups: tuple[BackupTaken, ...] = ()
    #: Whether the box was a stand-in on the practice bench.
    practice: bool = False
    #: The certificate and host key that hands met the box with, as they keep them.
    pins: str = ""


@dataclass(frozen=True, slots=True)
class Shipped:
    """A site that has left."""

    at: datetime
    by: str
    revision: int
    carrier: str
    reference: str


NONE: Mapping[str, DeviceRun] = {}


class Runs(NamedTuple):
    """The newest run of every device, by site and device; and the newest shipment of every site."""

    devices: Mapping[str, Mapping[str, DeviceRun]]
    shipped: Mapping[str, Shipped]

    def at(self, site: str) -> Mapping[str, DeviceRun]:
        """The runs of a site's devices; the same object as long as nothing is recorded there."""
        return self.devices.get(site, NONE)

    def with_run(self, site: str, device: str, run: DeviceRun) -> Runs:
        """With a new run of a device."""
        return self._replace(devices={**self.devices, site: {**self.at(site), device: run}})

    def changed(self, site: str, device: str, **values: Any) -> Runs:
        """With something else recorded in the run of a device."""
        return self.with_run(site, device, replace(self.devices[site][device], **values))

    def with_shipment(self, site: str, shipment: Shipped) -> Runs:
        """With a site that has left."""
        return self._replace(shipped={**self.shipped, site: shipment})

    def renamed(self, keys: Mapping[str, str]) -> Runs:
        """With sites under other keys."""
        return Runs(
            {keys.get(key, key): runs for key, runs in self.devices.items()},
            {keys.get(key, key): one for key, one in self.shipped.items()},
        )

    def without(self, sites: set[str]) -> Runs:
        """Without some sites."""
        return Runs(
            {key: runs for key, runs in self.devices.items() if key not in sites},
            {key: one for key, one in self.shipped.items() if key not in sites},
        )
