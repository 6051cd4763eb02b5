"""What a file's name says of when it was taken: of two readings of the same table the earlier one is read first."""

from __future__ import annotations

import re
from datetime import UTC, datetime
from pathlib import PurePath

_MARK = re.compile(
    r"(?<![-_. ])[-_. ]*(?:(?P<first>before|old|older|previous|earlier|pre)|(?P<last>after|new|newer|later|now|post)|(?P<count>\d{1,18}))$"
)

_STAMP = re.compile(
    r"(?<!\d)(20\d\d)[-_.]?(\d\d)[-_.]?(\d\d)[-_. T]?(\d\d)[-_.:h]?(\d\d)(?:[-_.:m]?(\d\d))?(?:[-_. ]?(?:Z|UTC))?(?!\d)",
    re.ASCII,
)

Order = tuple[str, str, int, int, str]


def order_of(name: str) -> Order:
    """Sorts by folder and name; `rules-before`, `rules`, `rules-2`, `rules-10`, `rules-after` come in this order."""
    path = PurePath(name)
    stem = path.stem
    at = moment_in(name)
    if at is not None:
        return str(path.parent), _STAMP.sub("", stem).rstrip("-_. "), 1, round(at), name
    found = _MARK.search(stem)
    if found is None or not stem[: found.start()]:
        return str(path.parent), stem, 1, 0, name
    base = stem[: found.start()]
    if found["count"]:
        return str(path.parent), base, 1, int(found["count"]), name
    return str(path.parent), base, 0 if found["first"] else 2, 0, name


def moment_in(name: str) -> float | None:
    """Seconds since 1970 UTC of a date and time in a file's name, which are taken as UTC: `routes-2026-05-04T0910.json`."""
    found = _STAMP.search(PurePath(name).stem)
    if found is None:
        return None
    try:
        return datetime(*(int(part or 0) for part in found.groups()), tzinfo=UTC).timestamp()  # type: ignore[arg-type,misc]
    except (ValueError, OverflowError):
        return None
