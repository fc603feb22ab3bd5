"""A command: what a tester can ask for, as data. Menus, buttons, keys, the keys sheet and the box
in which one types what one wants are made of these.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

T = TypeVar("T")


def _always(_target: Any) -> bool:
    return True


@dataclass(frozen=True)
class Command(Generic[T]):
    """id: for good; words: as written, with `…` where a dialog follows; do: with its target, the
    window's errands, or the view of the page `on`.

    menu: where it stands (`Bench`, `Stage ▸ Add`), with a line between one `group` and the next;
    key: hears it everywhere, on a page's own command on that page alone; when: whether it can be
    done now; checked: whether it is on, for those that are; says: words that change; field_first:
    a field that is being typed in keeps the key for itself; told: its words where
    its menu is not seen (the keys sheet, the box).
    """

    id: str
    words: str
    do: Callable[[T], Any]
    menu: str = ""
    group: int = 0
    key: str = ""
    on: str = ""
    when: Callable[[T], bool] = _always
    checked: Callable[[T], bool] | None = None
    says: Callable[[T], str] | None = None
    field_first: bool = False
    told: str = ""
