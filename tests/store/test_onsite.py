"""Links for the site: they open one page, they end, and what is answered by one is kept."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from sqlalchemy import select, update

from octaplan.store.journal import Act
from octaplan.store.models import SiteAnswer, SiteLink
from octaplan.store.onsite import MOST_ANSWERS, NoSuchLink, OnSiteError
from octaplan.store.revisions import touched_sites
from tests.store.test_bench import WithBench
from tests.support import writing

SITE = "FERN/DOCK"


class Links(WithBench):
    def test_a_link_opens_its_site_and_only_its_digest_is_kept(self) -> None:
        made = self.records.onsite.make(SITE, 14, "Ines")
        self.reopen()
        self.assertEqual(self.records.onsite.site_of(made.token), "fern/dock")
        with self.records.database.reading() as session:
            kept = session.scalars(select(SiteLink)).one()
        self.assertNotIn(made.token, (kept.digest, kept.by))
        (told,) = self.records.onsite.links(SITE)
        self.assertEqual((told.by, told.ends), ("Ines", made.ends))
        self.assertEqual(self.records.journal.lines()[0].act, Act.LINK)
        self.assertNotIn(made.token, " ".join(line.what for line in self.records.journal.lines()))

    def test_one_that_has_ended_or_never_was_opens_nothing(self) -> None:
        made = self.records.onsite.make(SITE, 1, "Ines")
        with self.assertRaisesRegex(NoSuchLink, "ask your technician"):
            self.records.onsite.site_of("made-up")
        with writing(self.records.database) as session:
            session.execute(update(SiteLink).values(ends=datetime.now(UTC) - timedelta(seconds=1)))
        with self.assertRaises(NoSuchLink):
            self.records.onsite.site_of(made.token)
        self.assertEqual(self.records.onsite.links(SITE), [])
        with self.assertRaises(NoSuchLink):
            self.records.onsite.answer(made.token, "t1", "It prints", "Bo", "", works=True)

    def test_a_link_is_ended_before_its_time_at_its_own_site_only(self) -> None:
        made = self.records.onsite.make(SITE, 14, "Ines")
        (told,) = self.records.onsite.links(SITE)
        with self.assertRaises(NoSuchLink):
            self.records.onsite.end("FERN/MILL", told.id, "Ines")
        self.records.onsite.end(SITE, told.id, "Ines")
        with self.assertRaises(NoSuchLink):
            self.records.onsite.site_of(made.token)

    def test_a_site_that_was_shown_on_site_is_not_undone_with_its_import(self) -> None:
        number = self.plans.now.site_id("fern/mill")
        with self.records.database.reading() as session:
            self.assertEqual(touched_sites(session, [number], None), set())
        self.records.onsite.make("FERN/MILL", 1, "Ines")
        with self.records.database.reading() as session:
            self.assertEqual(touched_sites(session, [number], None), {number})

    def test_it_is_good_for_some_days_and_takes_so_many_answers(self) -> None:
        for days in (0, 61):
            with self.assertRaisesRegex(OnSiteError, "1 to 60 days"):
                self.records.onsite.make(SITE, days, "Ines")
        made = self.records.onsite.make(SITE, 1, "Ines")
        self.records.onsite.answer(made.token, "t1", "It prints", " Bo  Larsen ", "no paper", works=False)
        self.records.onsite.answer(made.token, "t1", "It prints", "Bo Larsen", "", works=True)
        self.reopen()
        (answer,) = self.records.onsite.answers(SITE).values()
        self.assertEqual((answer.works, answer.name, answer.note), (True, "Bo Larsen", ""))
        lines = [line for line in self.records.journal.lines() if line.act == Act.ON_SITE]
        self.assertEqual([line.by for line in lines], ["Bo Larsen (on site)"] * 2)
        with writing(self.records.database) as session:
            kept = session.scalars(select(SiteAnswer)).first()
            assert kept
            alike = {
                "site_id": kept.site_id,
                "link_id": kept.link_id,
                "text": "x",
                "works": True,
                "note": "",
                "name": "Bo",
            }
            rows = [SiteAnswer(test=f"n{n}", at=datetime.now(UTC), **alike) for n in range(MOST_ANSWERS - 2)]
            session.add_all(rows)
        with self.assertRaisesRegex(OnSiteError, "takes no more"):
            self.records.onsite.answer(made.token, "t1", "x", "Bo", "", works=True)
