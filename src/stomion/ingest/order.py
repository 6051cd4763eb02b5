"""The order in which files are read: of two readings of the same table the earlier one first, by what their names say."""

from __future__ import annotations

import re
from pathlib import PurePath

_MARK = re.compile(
    r"[-_. ]*(?:(?P<first>before|old|older|previous|earlier|pre)|(?P<last>after|new|newer|later|now|post)|(?P<count>\d{1,18}))$"
)

Order = tuple[str, str, int, int, str]


def order_of(name: str) -> Order:
    """Sorts by folder and name; `rules-before`, `rules`, `rules-2`, `rules-10`, `rules-after` come in this order."""
    path = PurePath(name)
    stem = path.stem
    found = _MARK.search(stem)
    if found is None or not stem[: found.start()]:
        return str(path.parent), stem, 1, 0, name
    base = stem[: found.start()]
    if found["count"]:
        return str(path.parent), base, 1, int(found["count"]), name
    return str(path.parent), base, 0 if found["first"] else 2, 0, name
