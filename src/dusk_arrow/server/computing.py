"""Which requests compute: they are worked off by a few threads of their own, so that all others always find one."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

View = TypeVar("View", bound=Callable[..., object])
_COMPUTING: set[tuple[str, str]] = set()


def computes(view: View) -> View:
    """Marks a view that may take longer than a gesture may."""
    _COMPUTING.add((view.__module__, view.__name__))
    return view


def is_computing(view: Callable[..., object]) -> bool:
    """Whether a view was marked, also as it is wrapped."""
    return (view.__module__, view.__name__) in _COMPUTING
