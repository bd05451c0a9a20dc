"""Plans that make little sense, and wishes that make less: every proposal is a readable plan or a refusal in words."""

from __future__ import annotations

import unittest
from collections.abc import Callable

from hypothesis import given, reject
from hypothesis import strategies as st

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.check.space import fitting, picture, public_lines
from octaplan.core.plan.changes import compared
from octaplan.core.plan.patch import applied
from octaplan.core.plan.site import SegmentRole, SitePlan
from octaplan.core.propose.room import Room
from octaplan.core.propose.segments import (
    SegmentNeed,
    SegmentProposal,
    add,
    duplicate,
    join,
    lay_out_site,
    reorder,
    resize,
    split,
)
from octaplan.core.propose.typed import understand
from octaplan.core.values.addresses import parse_network
from octaplan.core.values.errors import OctaplanError
from tests import examples
from tests.core.check.test_wild import NETS, organisations, wild_plans


@st.composite
def any_plans(draw: st.DrawFn) -> SitePlan:
    """A wild plan; values that pydantic refuses make none."""
    try:
        return draw(wild_plans())
    except OctaplanError:
        reject()


networks = st.sampled_from(NETS).map(lambda text: parse_network(text)[0])
QUIET = examples(60)


class Proposals(unittest.TestCase):
    def proposed(self, plan: SitePlan, propose: Callable[[], SegmentProposal]) -> None:
        try:
            proposal = propose()
        except OctaplanError as refusal:
            self.assertTrue(str(refusal))
            return
        after = applied(plan, proposal.operations)
        self.assertEqual(SitePlan.model_validate(after.document()), after)
        self.assertTrue(all(line for line in proposal.lost))

    @QUIET
    @given(any_plans(), organisations, st.data())
    def test_of_one_segment(self, plan: SitePlan, organisation: object, data: st.DataObject) -> None:
        if not plan.segments:
            return
        held = Portfolio([plan], organisation)  # type: ignore[arg-type]
        key = data.draw(st.sampled_from(sorted(plan.segments)))
        other = data.draw(st.sampled_from(sorted(plan.segments)))
        wanted = data.draw(networks)
        for propose in (
            lambda: split(held, plan, key),
            lambda: join(plan, key, other),
            lambda: resize(held, plan, key, wanted),
            lambda: duplicate(held, plan, key),
            lambda: reorder(plan, key, data.draw(st.integers(-9, 9))),
        ):
            self.proposed(plan, propose)

    @QUIET
    @given(any_plans(), organisations, st.sampled_from(list(SegmentRole)), st.integers(0, 1 << 33), networks, st.data())
    def test_of_many(
        self, plan: SitePlan, organisation: object, role: SegmentRole, hosts: int, block: object, data: st.DataObject
    ) -> None:
        held = Portfolio([plan], organisation)  # type: ignore[arg-type]
        prefix = data.draw(st.none() | st.integers(-1, 40))
        self.proposed(plan, lambda: add(held, plan, role, hosts=hosts))
        self.proposed(plan, lambda: add(held, plan, role, prefix=prefix, subnet=data.draw(st.none() | networks)))
        keys = [None, *plan.segments]
        needs = [
            SegmentNeed(f"n{number}", role, min(hosts, 300), prefix, key)
            for number, key in enumerate(data.draw(st.lists(st.sampled_from(keys), unique=True, min_size=1)))
        ]
        self.proposed(plan, lambda: lay_out_site(held, plan, block, needs))  # type: ignore[arg-type]


class Pictures(unittest.TestCase):
    @QUIET
    @given(st.lists(any_plans(), max_size=4), organisations, networks, st.sampled_from(["", "F", "g"]))
    def test_every_window_has_a_picture(
        self, plans: list[SitePlan], organisation: object, window: object, customer: str
    ) -> None:
        held = Portfolio(plans, organisation)  # type: ignore[arg-type]
        for family in (4, 6):
            fitted = fitting(held, family, customer)
            self.assertLessEqual(fitted.prefix, 32 if family == 4 else 64)
        if window.family == 6 and window.prefix > 64:  # type: ignore[attr-defined]
            return
        made = picture(held, window, customer, {(p.key, k): "stop" for p in plans for k in p.segments})  # type: ignore[arg-type]
        for prefix, cells in made.levels:
            for cell in cells:
                self.assertTrue(0 <= cell.number < 1 << (prefix - made.window.prefix))
                self.assertTrue(0 <= cell.used <= 1.0001, cell)
                self.assertLessEqual(cell.sites, cell.segments)
                self.assertLessEqual(cell.stops + cell.warns, cell.segments)
        self.assertTrue(all(line.network is not None for line in public_lines(held, customer)))

    @QUIET
    @given(any_plans(), organisations, st.integers(8, 30))
    def test_candidates_are_free(self, plan: SitePlan, organisation: object, prefix: int) -> None:
        room = Room(Portfolio([plan], organisation), plan)  # type: ignore[arg-type]
        for net in room.candidates(prefix, most=5):
            self.assertEqual(net.prefix, prefix)
            for segment in plan.segments.values():
                if segment.subnet is not None and segment.subnet.family == 4:
                    self.assertFalse(net.holds(segment.subnet.first) or segment.subnet.holds(net.first))


class Beside(unittest.TestCase):
    @QUIET
    @given(any_plans(), any_plans())
    def test_any_two_plans_can_be_compared(self, one: SitePlan, other: SitePlan) -> None:
        self.assertEqual(compared(one, one), [])
        told = compared(one, other)
        self.assertTrue(all(change.before != change.after for change in told if change.field))
        if one.key == other.key:
            codes = {"customer": "", "site": ""}  # which may differ in case
            self.assertEqual(bool(told), one.document() | codes != other.document() | codes)

    @QUIET
    @given(any_plans(), st.sampled_from(["next", "next /25", "/25", "10.0.0.0/24", "::/0", "x", "/99"]))
    def test_a_wanted_subnet_is_read_or_refused(self, plan: SitePlan, typed: str) -> None:
        for key in plan.segments:
            try:
                understood = understand(plan, f"/segments/{key}/subnet", typed)
            except OctaplanError as refusal:
                self.assertTrue(str(refusal))
            else:
                applied(plan, understood.operations)
