"""Who tries much waits; nobody else is shut out by it."""

from __future__ import annotations

import threading
import unittest

from octaplan.server.tries import AT_ONCE, FOR_ADDRESS, FOR_NAME, WAITING, WINDOW, Busy, TooMany, Tries


class Clock:
    now = 1_000.0

    def __call__(self) -> float:
        return self.now


class Waiting(unittest.TestCase):
    def setUp(self) -> None:
        self.clock = Clock()
        self.tries = Tries(self.clock)

    def fail_(self, name: str, address: str, times: int = 1, *, known: bool = False) -> int:
        """Fail so many times; how many of them were worked out."""
        worked = 0
        for _ in range(times):
            try:
                with self.tries.attempt(name, address, known_device=known):
                    worked += 1
            except TooMany as error:
                self.assertGreater(error.seconds, 0)
        return worked

    def succeeds(self, name: str, address: str, *, known: bool = False) -> bool:
        try:
            with self.tries.attempt(name, address, known_device=known) as attempt:
                attempt.succeeded()
        except TooMany:
            return False
        return True

    def test_five_failures_from_one_address_do_not_shut_the_owner_out(self) -> None:
        self.assertEqual(self.fail_("ines", "198.51.100.9", 9), 5)
        self.assertFalse(self.succeeds("ines", "198.51.100.9"))
        self.assertTrue(self.succeeds("ines", "192.0.2.1"))

    def test_many_addresses_at_one_name_slow_strange_devices_only(self) -> None:
        worked = sum(self.fail_("ines", f"198.51.{n}.9", 2) for n in range(60))
        self.assertEqual(worked, FOR_NAME)
        self.assertFalse(self.succeeds("ines", "192.0.2.1"))
        self.assertTrue(self.succeeds("ines", "192.0.2.1", known=True))
        self.assertTrue(self.succeeds("marek", "192.0.2.1"))

    def test_one_address_at_many_names_waits(self) -> None:
        worked = sum(self.fail_(f"n{n}", "198.51.100.9") for n in range(FOR_ADDRESS + 20))
        self.assertEqual(worked, FOR_ADDRESS)

    def test_it_is_over_after_the_window_and_after_a_success(self) -> None:
        self.fail_("ines", "192.0.2.1", 9)
        self.clock.now += WINDOW + 1
        self.assertTrue(self.succeeds("ines", "192.0.2.1"))
        self.fail_("ines", "192.0.2.1", 4)
        self.assertTrue(self.succeeds("ines", "192.0.2.1"))
        self.assertEqual(self.fail_("ines", "192.0.2.1", 9), 5)

    def test_what_is_tried_at_once_is_counted_before_it_is_worked_out(self) -> None:
        inside, leave = threading.Semaphore(0), threading.Event()
        worked: list[int] = []
        refused: list[BaseException] = []

        def run(number: int) -> None:
            try:
                with self.tries.attempt("ines", "198.51.100.9"):
                    inside.release()
                    worked.append(number)
                    leave.wait(10)
            except (TooMany, Busy) as error:
                refused.append(error)

        threads = [threading.Thread(target=run, args=(n,)) for n in range(30)]
        for thread in threads:
            thread.start()
        for _ in range(AT_ONCE):
            self.assertTrue(inside.acquire(timeout=10))
        self.assertEqual(len(worked), AT_ONCE, "so many are worked out at once and no more")
        leave.set()
        for thread in threads:
            thread.join(10)
        self.assertEqual((len(worked), len(refused)), (5, 25))

    def test_more_than_can_wait_are_told_to_come_again(self) -> None:
        leave, begun = threading.Event(), threading.Semaphore(0)

        def run(number: int) -> None:
            begun.release()
            with self.tries.attempt(f"n{number}", f"192.0.2.{number}"):
                leave.wait(10)

        threads = [threading.Thread(target=run, args=(n,)) for n in range(WAITING)]
        for thread in threads:
            thread.start()
        for _ in threads:
            begun.acquire()
        while self.tries._room._value:
            pass
        with self.assertRaises(Busy), self.tries.attempt("late", "192.0.2.200"):
            self.fail("it was worked out")
        leave.set()
        for thread in threads:
            thread.join(10)
