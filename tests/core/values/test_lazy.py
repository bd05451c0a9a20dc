"""Properties that are worked out once."""

from __future__ import annotations

import threading
import unittest
from concurrent.futures import ThreadPoolExecutor

from octaplan.core.values.lazy import lazy


class Counted:
    def __init__(self) -> None:
        self.times = 0

    @lazy
    def value(self) -> int:
        """A number."""
        self.times += 1
        return self.times


class Meeting:
    """Two objects that each wait until the other is being worked out too."""

    both = threading.Barrier(2, timeout=10)

    @lazy
    def met(self) -> bool:
        self.both.wait()
        return True


class Lazy(unittest.TestCase):
    def test_it_is_worked_out_once_for_each_object(self) -> None:
        one, other = Counted(), Counted()
        self.assertEqual((one.value, one.value, one.times, other.times), (1, 1, 1, 0))
        self.assertEqual(Counted.value.__doc__, "A number.")

    def test_one_object_does_not_wait_for_another(self) -> None:
        with ThreadPoolExecutor(2) as pool:
            self.assertEqual(list(pool.map(lambda one: one.met, (Meeting(), Meeting()))), [True, True])


if __name__ == "__main__":
    unittest.main()
