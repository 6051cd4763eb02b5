"""The wordings of one source of a case, and what was understood of each."""

from __future__ import annotations

from collections.abc import Callable

from stomion.ingest.textfile import TextFile
from stomion.jobs.examine import Examined
from stomion.jobs.places import events_by_line
from stomion.logs.templates import Templates, templates_of
from stomion.logs.values import names_a_suite
from stomion.vocabulary.addresses import read_addresses

SHORT = 2
"""Letters of a name that may be any word."""


def wordings_of(examined: Examined, file: str, text: TextFile, check: Callable[[], None] = lambda: None) -> Templates:
    """Sort a source, whose text is open, by its wordings. Raises what `check` raises."""
    evidence = examined.evidence
    site = next((log.site for log in evidence.logs if log.file == file), None)
    own = evidence.addresses.get(site or "", set())
    peers = set().union(*(found for other, found in evidence.addresses.items() if other != site))
    peers = peers or _beside_suites(text, check)
    return templates_of(
        ((number, text.line(number)) for number in range(1, len(text) + 1)),
        {line: e for line, e in events_by_line(examined, file).items() if not e.guessed},
        peers=peers - own,
        own=own,
        names=frozenset(_names(examined)),
        check=check,
    )


def _beside_suites(text: TextFile, check: Callable[[], None]) -> set[str]:
    """The addresses that stand beside a cipher and its hash: where no sheet tells whom a gateway negotiates with."""
    out: set[str] = set()
    for number in range(1, min(len(text), MOST_SEARCHED) + 1):
        if not number % 1024:
            check()
        line = text.line(number)
        if names_a_suite(line):
            out.update(address for address, _ in read_addresses(line).endpoints)
    return out


MOST_SEARCHED = 50_000
"""Lines of a log that are searched for them."""


def _names(examined: Examined) -> set[str]:
    """What tunnels are called, in the sheets and in the logs."""
    names = {d.picture.name for d in examined.tunnels}
    names.update(e.conn for log in examined.evidence.logs for e in log.events if e.conn)
    return {name.lower() for name in names if len(name) > SHORT and not name.isdecimal()}
