"""A property that is worked out once an object; results that outlive the object are kept in ``derive``."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Generic, TypeVar, overload

T = TypeVar("T")


class lazy(Generic[T]):
    """Work a property out when it is first asked for, and keep it with its object.

    Unlike the standard library's (up to Python 3.11) it holds no lock of its class while it works: two threads, one in
    such a property and waiting for :data:`vane_step.core.derive.alone`, the other with ``alone`` and asking for the
    same property of another object, waited for each other for ever. Two threads that ask an object at once both work,
    and get equal values.
    """

    def __init__(self, work: Callable[[Any], T]) -> None:
        self.work = work
        self.name = work.__name__
        self.__doc__ = work.__doc__

    @overload
    def __get__(self, owner: None, kind: type) -> lazy[T]: ...

    @overload
    def __get__(self, owner: object, kind: type) -> T: ...

    def __get__(self, owner: object | None, kind: type) -> lazy[T] | T:
        """Give the value; what is in the object's own dictionary is found before this is asked."""
        if owner is None:
            return self
        value = self.work(owner)
        owner.__dict__[self.name] = value
        return value
