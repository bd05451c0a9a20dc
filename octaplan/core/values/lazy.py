"""Properties that are worked out when they are first asked for, and kept."""

from __future__ import annotations

from functools import cached_property
from typing import Any, TypeVar, overload

_Value = TypeVar("_Value")


class lazy(cached_property[_Value]):
    """A property that is worked out once for each object, of something that does not change.

    Two threads that ask at the same moment may both work it out, and get the same. Before Python 3.12
    `functools.cached_property` holds one lock for all objects of a class: readers of different sites would wait for one
    another.
    """

    @overload
    def __get__(self, instance: None, owner: type[Any] | None = None) -> lazy[_Value]: ...

    @overload
    def __get__(self, instance: object, owner: type[Any] | None = None) -> _Value: ...

    def __get__(self, instance: object | None, owner: type[Any] | None = None) -> lazy[_Value] | _Value:
        if instance is None:
            return self
        value = instance.__dict__[str(self.attrname)] = self.func(instance)
        return value
