"""The demo portfolio: the made-up provider Tern & Tide Managed IT, its made-up customers, and a dozen believable
mistakes."""

from __future__ import annotations

import secrets
from datetime import date, timedelta
from pathlib import Path

from octaplan.core.check.findings import Severity
from octaplan.core.plan.organisation import Organisation
from octaplan.demo import boxes, patterns
from octaplan.formats.intake import read_intake
from octaplan.formats.tables import open_folder
from octaplan.store.accounts import Person
from octaplan.store.models import AccountRole
from octaplan.store.records import Records

TABLES = Path(__file__).parent / "tables"

#: The Monday that the ship dates in the tables count from; they are moved to the week of loading.
WRITTEN_IN_WEEK_OF = date(2026, 3, 2)

CUSTOMERS = {
    "FERN": "Fernhollow Garden Centres",
    "LIBR": "Millrace Libraries",
    "QUAY": "Quayside Bakehouse",
    "LOOM": "Loom & Lantern Cinemas",
    "PAWS": "Paws & Pines Veterinary",
    "HARB": "Harbour Optical",
    "KILN": "Bright Kiln Pottery",
}

ACCOUNTS = (
    ("ines", "Ines Aldering", AccountRole.ADMINISTRATOR),
    ("sabine", "Sabine Oake", AccountRole.PLANNER),
    ("marek", "Marek Dunmore", AccountRole.TECHNICIAN),
    ("wren", "Wren Tolley", AccountRole.VIEWER),
)

SETTINGS = {
    "practice_counts": True,
    "support": "Aldering desk, 01632 960 142, Mon to Sat 7 to 19",
    "banner": "Only for those who look after this network. What is done here is recorded.",
    "own_networks": [{"name": "Remote access", "network": "10.255.0.0/16"}],
    "blocks": {
        "FERN": ["10.40.0.0/16"],
        "LIBR": ["10.44.0.0/16"],
        "QUAY": ["10.52.0.0/16"],
        "LOOM": ["10.56.0.0/16"],
        "PAWS": ["10.61.0.0/16"],
        "HARB": ["10.72.0.0/16"],
        "KILN": ["10.76.0.0/16"],
    },
}

CLEARED = ("paws/heron", "libr/canal")
ACCEPTED = {"harb/high": "The customer knows that nothing reaches the shop from outside, and wants it so"}


def prepare(records: Records, today: date) -> tuple[list[Person], str]:
    """Fill empty records with the demo portfolio, and give the demo accounts a fresh password.

    Returns who may sign in, nobody when the records are somebody's own, and the password.
    """
    letters = "abcdefghkmnpqrstuvwxyz23456789"
    password = "-".join("".join(secrets.choice(letters) for _ in range(4)) for _ in range(4))
    accounts = records.accounts
    if len(records.now.sites) == 0 and not accounts.any():
        _load(records, today)
        for name, full_name, role in ACCOUNTS:
            accounts.add(name, full_name, password, role, demo=True)
    return accounts.renew_demo(password), password


def _load(records: Records, today: date) -> None:
    plans = records.plans
    shift = today - timedelta(days=today.weekday()) - WRITTEN_IN_WEEK_OF
    intake = read_intake(open_folder(TABLES))
    if min(plan.ship_date for plan in intake.plans.values() if plan.ship_date) + shift < today:
        shift += timedelta(days=7)  # nothing is late in a demo that has just begun
    moved = [
        patterns.answered(
            plan.model_copy(update={"ship_date": plan.ship_date + shift} if plan.ship_date else {}), today
        )
        for plan in intake.plans.values()
    ]
    records.settings.save(Organisation.model_validate(SETTINGS).document(), 0, "Ines Aldering")
    plans.save_all(moved, "Ines Aldering", "Loaded from tables", CUSTOMERS)
    boxes.load(records)
    patterns.load(records)
    for key, reason in ACCEPTED.items():
        for judged in plans.now.judged(key):
            finding = judged.finding
            if finding.severity is Severity.WARN:
                plans.accept(key, finding.rule, finding.path, finding.addresses, reason, "Ines Aldering")
    for key in CLEARED:
        plans.sign(key, plans.now.saved(key).number, "Ines Aldering")
    boxes.begin_staging(records)
