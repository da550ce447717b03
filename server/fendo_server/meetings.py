"""Writes that meet others at the same moment, and reads that do."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import wraps
from typing import ParamSpec, TypeVar

from django.db import IntegrityError, connection, transaction

_P = ParamSpec("_P")
_R = TypeVar("_R")
TIMES = 12


def repeated(write: Callable[_P, _R]) -> Callable[_P, _R]:
    """The same write, done again where another was there first; it must look anew at what is there each time."""

    @wraps(write)
    def again(*args: _P.args, **kwargs: _P.kwargs) -> _R:
        for _ in range(TIMES - 1):
            try:
                return write(*args, **kwargs)
            except IntegrityError:
                continue
        return write(*args, **kwargs)

    return again


@contextmanager
def one_moment() -> Iterator[None]:
    """All that is read within is of one moment, whatever others write: no pick of a comp that is not there yet."""
    if connection.in_atomic_block:
        yield
        return
    with transaction.atomic():
        with connection.cursor() as cursor:
            cursor.execute("set transaction isolation level repeatable read")
        yield
