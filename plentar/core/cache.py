"""What was worked out before, kept while it fits into so many bytes: a cache bounded by memory, not by count."""

import dataclasses
import sys
from collections.abc import Callable, Hashable, Iterable
from threading import RLock
from typing import Any, TypeVar
from weakref import WeakSet

from cachetools import LRUCache

__all__ = ["ByteBoundedCache", "bytes_of", "sweep_all"]

T = TypeVar("T")


def bytes_of(value: object) -> int:
    """Return about how many bytes a value takes: its arrays, and theirs who make it up; what is shared counts once."""
    return _bytes_of(value, set())


def _bytes_of(value: object, seen: set[int]) -> int:
    if id(value) in seen or value is None or isinstance(value, bool | int | float | complex | str):
        return 0
    seen.add(id(value))
    # An array's own bytes; a view into another is counted as if it were whole, which errs on the safe side.
    size = getattr(value, "nbytes", None)
    if isinstance(size, int):
        return size
    parts: Iterable[Any]
    if isinstance(value, dict):
        parts = value.values()
    elif isinstance(value, list | tuple | set | frozenset):
        parts = value
    elif dataclasses.is_dataclass(value):
        parts = (getattr(value, field.name) for field in dataclasses.fields(value))
    else:
        parts = getattr(value, "__dict__", {}).values()
    return sys.getsizeof(value) + sum(_bytes_of(part, seen) for part in parts)


_all: "WeakSet[ByteBoundedCache]" = WeakSet()


def sweep_all() -> None:
    """Let go of everything that nobody asked for since this was last called."""
    for cache in list(_all):
        cache.sweep()


class ByteBoundedCache:
    """Values by key, the longest unused let go as soon as they take more than so many bytes together.

    Threads share it. What two of them ask for at once is worked out twice and kept once: nobody waits for another's
    work. A value larger than all of it is handed out and not kept.
    """

    def __init__(self, megabytes: float, *, size: Callable[[Any], int] = bytes_of) -> None:
        self._cache: LRUCache[Hashable, Any] = LRUCache(maxsize=megabytes * 1024 * 1024, getsizeof=size)
        # What was there at the last sweep and was not asked for since: no more than is held, swept or not.
        self._unused: set[Hashable] = set()
        self._lock = RLock()
        _all.add(self)

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        """Return what is held under a key, made now where it is not."""
        with self._lock:
            try:
                found: T = self._cache[key]
            except KeyError:
                pass
            else:
                self._unused.discard(key)
                return found
        # Outside the lock: a first diagnosis takes a second, and others must not wait for it.
        made = make()
        with self._lock:
            if key not in self._cache:
                try:
                    self._cache[key] = made
                except ValueError:
                    return made
            self._unused.discard(key)
            kept: T = self._cache[key]
            return kept

    def __contains__(self, key: Hashable) -> bool:
        """Tell whether something is held under a key."""
        with self._lock:
            return key in self._cache

    def drop(self, key: Hashable) -> None:
        """Let go of what is held under a key, if anything is."""
        with self._lock:
            self._cache.pop(key, None)

    def sweep(self) -> None:
        """Let go of what nobody asked for since the last time this was called."""
        with self._lock:
            for key in self._unused:
                self._cache.pop(key, None)
            self._unused = set(self._cache)

    def clear(self) -> None:
        """Let go of everything."""
        with self._lock:
            self._cache.clear()

    @property
    def bytes(self) -> int:
        """How much is held now."""
        return int(self._cache.currsize)
