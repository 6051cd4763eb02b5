"""Phrasebooks: wordings that people taught, as texts with named gaps, each mapped to an event.

    [[phrase]]
    text = "Partner {peer} turned away: {any} is not ours"
    says = "key refused"
    by = "own"

A text is no regular expression: every gap takes a bounded run of characters that can't be given back, so that no line, however
it is made, keeps the matching busy. Taught wordings come before the general vocabulary.
"""

from __future__ import annotations

import re
import tomllib
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from msgspec.structs import replace

from stomion.errors import Malformed
from stomion.model.event import Event, What
from stomion.model.provenance import Provenance
from stomion.vocabulary.addresses import range_to_prefixes
from stomion.vocabulary.algorithms import find_proposal

MAX_PHRASES = 2_000
MAX_TEXT = 500
MAX_GAPS = 12
_LONGEST = 400
"""Characters one gap may take."""

_ADDRESS = r"(?:\d{1,3}(?:\.\d{1,3}){3}|[0-9a-fA-F:]{2,45})"
GAPS: dict[str, tuple[str, int]] = {
    "peer": ("", 0),
    "own": ("", 0),
    "port": (r"\d", 5),
    "conn": (r"[\w.@+-]", 64),
    "sa": (r"\d", 10),
    "number": (r"\d", 20),
    "word": (r"\S", 200),
    "mine": (".", _LONGEST),
    "theirs": (".", _LONGEST),
    "my_ts": (".", _LONGEST),
    "their_ts": (".", _LONGEST),
    "any": (".", _LONGEST),
}
"""Names a gap may have: (the characters it takes, how many at most); the first two take an address."""
_GAP = re.compile(r"\{(\w+)\}")
SAYS = {what.value: what for what in What}


@dataclass(frozen=True, slots=True)
class Phrase:
    """One wording; `far` is True where it tells what the peer decided. `head` is its longest fixed piece."""

    text: str
    what: What
    far: bool
    pattern: re.Pattern[str] = field(repr=False)
    head: str

    def match(self, line: str) -> re.Match[str] | None:
        """The phrase in a line, or None."""
        return self.pattern.search(line) if self.head in line else None


def phrase(text: str, says: str, by: str = "own") -> Phrase:
    """Build one. Raises Malformed, which says what is wrong and what would be right."""
    what = SAYS.get(says)
    if what is None:
        raise Malformed(f"says = {says!r} is no event", expected=f"one of: {', '.join(SAYS)}")
    if by not in ("own", "far"):
        raise Malformed(f"by = {by!r}", expected="'own' or 'far'")
    names = _GAP.findall(text)
    unknown = [n for n in names if n not in GAPS]
    if unknown:
        raise Malformed(f"no gap is called {unknown[0]!r}", expected=f"one of: {', '.join(GAPS)}")
    pieces = _GAP.split(text)[::2]
    parts = _GAP.split(text)
    for index in range(1, len(parts) - 2, 2):
        if not parts[index + 1] and {parts[index], parts[index + 2]} & {"peer", "own"}:
            raise Malformed(
                "two gaps right after each other, one of them an address", expected="something fixed between them"
            )
    fixed = max((p.strip() for p in pieces), key=len)
    if len(text) > MAX_TEXT or len(names) > MAX_GAPS or len(fixed) < 3:
        raise Malformed("a phrase needs a fixed piece of 3 characters or more, and at most 12 gaps and 500 characters")
    return Phrase(text, what, by == "far", re.compile(_compile(text)), fixed)


def _compile(text: str) -> str:
    out: list[str] = []
    seen: set[str] = set()
    parts = _GAP.split(text)
    for index, part in enumerate(parts):
        if index % 2 == 0:
            out.append(re.escape(part))
            continue
        takes = _takes(part, parts[index + 1])
        out.append(f"(?P<{part}>{takes})" if part not in seen and part != "any" else f"(?:{takes})")
        seen.add(part)
    return "".join(out)


def _takes(name: str, following: str) -> str:
    """What a gap takes: its characters up to the fixed piece that follows; each is looked at once and none is given back."""
    characters, most = GAPS[name]
    if not characters:
        # Atomic: an address that was taken is not given back in pieces.
        return f"(?>{_ADDRESS})"
    least = 0 if characters == "." else 1
    stop = f"(?!{re.escape(following[:12])})" if following else ""
    return f"(?:{stop}{characters}){{{least},{most}}}+"


def read_phrasebook(text: str) -> tuple[list[Phrase], list[str]]:
    """(phrases, troubles): a phrase that is wrong is left out and named, the others count."""
    try:
        data = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        return [], [f"no TOML: {error}"]
    except ValueError:
        return [], ["no TOML: a number of thousands of digits"]
    found: list[Phrase] = []
    troubles: list[str] = []
    entries = data.get("phrase", [])
    for number, entry in enumerate(entries if isinstance(entries, list) else [], 1):
        try:
            if not isinstance(entry, dict) or not isinstance(entry.get("text"), str):
                raise Malformed("a phrase without a text")
            found.append(phrase(entry["text"], str(entry.get("says", "")), str(entry.get("by", "own"))))
        except Malformed as error:
            troubles.append(
                f"phrase {number}: {error.what}" + (f", expected {error.expected}" if error.expected else "")
            )
        if len(found) >= MAX_PHRASES:
            troubles.append(f"more than {MAX_PHRASES} phrases; the rest is left out")
            break
    return found, troubles


def written(phrases: Iterable[Phrase]) -> str:
    """A phrasebook as TOML; whatever the texts hold, it can be read again."""
    # Needed only where something is saved, and not quick to load.
    import tomlkit

    document = tomlkit.document()
    rows = tomlkit.aot()
    for item in phrases:
        row = tomlkit.table()
        row.update({"text": item.text, "says": item.what.value, "by": "far" if item.far else "own"})
        rows.append(row)
    document.append("phrase", rows)
    return tomlkit.dumps(document)


def taught(line: str, phrases: Sequence[Phrase]) -> tuple[Phrase, dict[str, str | None]] | None:
    """The first phrase that the line fits, and what its gaps took."""
    for item in phrases:
        if item.head in line and (match := item.pattern.search(line)) is not None:
            return item, match.groupdict()
    return None


def as_taught(item: Phrase, gaps: dict[str, str | None], line: str, where: Provenance, seen: Event | None) -> Event:
    """The event of a phrase. What its gaps do not name is kept from what the general vocabulary has `seen` in the line."""
    base = seen or Event(what=item.what, where=where, text=line)
    port, mine, theirs = gaps.get("port"), gaps.get("mine"), gaps.get("theirs")
    layer = _LAYER.get(item.what, "")
    return replace(
        base,
        what=item.what,
        far=item.far,
        peer=gaps.get("peer") or base.peer,
        own=gaps.get("own") or base.own,
        conn=gaps.get("conn") or base.conn,
        sa=gaps.get("sa") or base.sa,
        peer_port=int(port) if port else base.peer_port,
        mine=find_proposal(mine, layer) if mine else base.mine,
        theirs=find_proposal(theirs, layer) if theirs else base.theirs,
        my_ts=_ranges(gaps.get("my_ts")) or base.my_ts,
        their_ts=_ranges(gaps.get("their_ts")) or base.their_ts,
    )


_LAYER = {
    What.IKE_PROPOSAL_REFUSED: "IKE",
    What.AGREED: "IKE",
    What.CHILD_PROPOSAL_REFUSED: "ESP",
    What.PFS_REFUSED: "ESP",
}
"""Which SA's algorithms a wording names."""


def _ranges(text: str | None) -> tuple[str, ...]:
    """Prefixes in a gap, in order."""
    if not text:
        return ()
    found = re.findall(r"[0-9a-fA-F.:]{3,45}/\d{1,3}", text)
    if found:
        return tuple(found)
    pair = re.findall(r"\d{1,3}(?:\.\d{1,3}){3}", text)
    return tuple(p for low, high in zip(pair[::2], pair[1::2], strict=False) for p in range_to_prefixes(low, high))
