"""The wordings of a log: its lines sorted by their constant words, with what changes from line to line as gaps.

A template is written as a phrase is (logs.phrasebook), so that it can be taught as it stands. Fields are told by their values: addresses,
networks, numbers, hexadecimal words, names that vary. Words are never told apart by a list of makes.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass, field
from itertools import islice

from stomion.logs.framing import unframe
from stomion.logs.lexicon import NOISE, RELEVANT, STRONG, plain
from stomion.logs.phrasebook import MAX_GAPS, MAX_TEXT
from stomion.logs.timestamps import Stamp, find_stamp
from stomion.model.event import Event

MOST_LINES = 100_000
"""Lines of a log that are sorted."""
MOST_SHAPES = 20_000
"""Wordings before names are found to vary; a line of a further one is counted as left out."""
MOST_READ = 600
"""Characters of a line that are looked at."""
MOST_NAMES = 8
"""Words of a line, from its beginning, that may turn out to be names that vary."""
MISSES = 40
"""After so many lines in a row without a time only every 16th is searched for one."""
_FIELD = re.compile(
    r"(?<![\w.:])(?P<net>\d{1,3}(?:\.\d{1,3}){3}/\d{1,2})(?![\w.])"
    r"|(?P<brace>\{[^{}\s]{0,60}\}|[{}])"
    r"|(?<!\w)(?P<dump>(?:[0-9a-fA-F]{2}[ :]){3,200}[0-9a-fA-F]{2})(?!\w)"
    r"|(?:(?<![\w.])|(?<=\.\.))(?P<v4>\d{1,3}(?:\.\d{1,3}){3})(?!\d)"
    r"|(?<![\w:.])(?P<v6>(?=[0-9a-fA-F:]{0,39}::?[0-9a-fA-F:]{0,39})(?:[0-9a-fA-F]{1,4}:){2,7}:?[0-9a-fA-F:]{0,30})(?![\w:])"
    r"|(?<![\w.])(?P<hex>0x[0-9a-fA-F]{1,64}|(?=[0-9a-fA-F]*\d)[0-9a-fA-F]{8,64}(?:-[0-9a-fA-F]{4,12}){0,4})(?!\w|\.\d)"
    r"|(?P<port>(?<=\.\d[:\[])\d{2,5}|(?<=\.\d\d[:\[])\d{2,5}|(?<=\.\d\d\d[:\[])\d{2,5}|(?<=port )\d{2,5})(?!\w)"
    r"|(?<![\w.])(?<!\w-)(?P<number>\d{1,20})(?!\w|\.\d|-\d)"
)
_GAP = re.compile(r"\{\w+\}")
_WORD = re.compile(r"\S+")
_NAME_LIKE = re.compile(r"(?=.*[\d._@-])[\w.@:/+-]{3,64}")
_EDGES = ",;:()[]<>\"'=."
_DENIES = re.compile(
    r" (?:not|no|never|cannot|refus\w*|reject\w*|den(?:y|ied|ies)|fail\w*|mismatch\w*|differ\w*|invalid|unknown|errors?|bad|wrong|lost|dead|dropp?\w*"
    r"|abort\w*|gave|giving|unaccept\w*|unreach\w*|timed|timeouts?|expired|missing|unexpected|conflict\w*|disagree\w*) "
)
_TELLS = re.compile(
    r" (?:established|up|down|complete\w*|success\w*|agreed|accept\w*|installed|deleted|retr\w+|resen\w+) "
)


@dataclass(slots=True)
class Template:
    """One wording. `lines` are the numbers of its lines, `says` what most of those that were `understood` were taken for."""

    text: str
    lines: list[int] = field(default_factory=list)
    understood: int = 0
    says: str = ""
    weight: int = 0
    denies: bool = False
    """Has it a word for what was refused, failed or went missing?"""
    tells: bool = False
    """Has it one for what came to be, ended or was sent again?"""

    @property
    def known(self) -> bool:
        """Were all of its lines understood?"""
        return self.understood == len(self.lines)


@dataclass(frozen=True, slots=True)
class Templates:
    """The wordings of a log, those first that would decide most; `left_out` lines are in none."""

    found: tuple[Template, ...]
    lines: int
    left_out: int


def templates_of(
    lines: Iterable[tuple[int, str]],
    events: Mapping[int, Event],
    *,
    peers: AbstractSet[str] = frozenset(),
    own: AbstractSet[str] = frozenset(),
    names: AbstractSet[str] = frozenset(),
    check: Callable[[], None] = lambda: None,
) -> Templates:
    """Sort numbered lines. `events` are what was understood, by line; `peers` and `own` are addresses and `names` connections that the case
    knows. Raises what `check` raises, which is asked now and then."""
    shaper = Shaper(peers, own, names)
    shapes: dict[str, list[int]] = {}
    count = left_out = stamp = misses = 0
    for number, line in lines:
        if not count % 1024:
            check()
        if not line.strip():
            continue
        if count >= MOST_LINES:
            left_out += 1
            continue
        count += 1
        found = find_stamp(line, year=2000, first=stamp) if misses < MISSES or not count % 16 else None
        stamp, misses = (found.shape, 0) if found is not None else (stamp, misses + 1)
        shape = shaper.shape(_said(line, found))
        if shape in shapes or len(shapes) < MOST_SHAPES:
            shapes.setdefault(shape, []).append(number)
        else:
            left_out += 1
    merged = _merged(shapes, shaper.about, check)
    made = [_template(text, sorted(numbers), events, text in shaper.about) for text, numbers in merged.items()]
    made.sort(key=lambda t: (t.known, -t.weight, -len(t.lines), t.lines[0]))
    return Templates(tuple(made), count + left_out, left_out)


def template_of(line: str) -> str:
    """One line by itself: what to start teaching from."""
    return Shaper().shape(_said(line, find_stamp(line, year=2000)))


def _said(line: str, stamp: Stamp | None) -> str:
    """What a line says without its frame and its time, as it stands in the line."""
    if line[:1] in "{<":
        framed = unframe(line)
        said = framed.text.split("; ")[0] if framed.flat else framed.text
        if said != line and said in line:
            return said
    return stamp.after(line) if stamp is not None else line


@dataclass(slots=True)
class Shaper:
    """What the case knows, and the shapes that are `about` it: those with an address of a peer, or of the writer."""

    peers: AbstractSet[str] = frozenset()
    own: AbstractSet[str] = frozenset()
    names: AbstractSet[str] = frozenset()
    about: set[str] = field(default_factory=set)

    def shape(self, said: str) -> str:
        """What a line says, as a template: its spaces stay, so that it fits the line as a phrase."""
        addresses: list[str] = []

        def gap(m: re.Match[str]) -> str:
            address = m["v4"] or m["v6"]
            if address is None:
                return (
                    "{any}"
                    if m["net"] or m["dump"]
                    else "{number}"
                    if m["number"]
                    else "{port}"
                    if m["port"]
                    else "{word}"
                )
            addresses.append(address)
            if address in self.own:
                return "{own}"
            return "{peer}" if sum(a not in self.own for a in addresses) == 1 else "{word}"

        # What stands behind more gaps than a phrase may have is cut off.
        text = _FIELD.sub(gap, said[:MOST_READ].strip(), count=MAX_GAPS + 1)
        if self.names:
            text = _WORD.sub(self._named, text)
        text = _cut(text)
        if self.peers and not (self.peers | self.own).isdisjoint(addresses):
            self.about.add(text)
        return text

    def _named(self, m: re.Match[str]) -> str:
        core = m[0].strip(_EDGES)
        return m[0].replace(core, "{conn}") if core and core.lower() in self.names else m[0]


def _cut(text: str) -> str:
    """No longer than a phrase may be, and with no more gaps; a phrase need not have the end of a line."""
    places = [m.start() for m in _GAP.finditer(text)]
    if len(places) > MAX_GAPS:
        text = text[: places[MAX_GAPS]].rstrip()
    if len(text) > MAX_TEXT:
        text = text[:MAX_TEXT]
        text = text[: text.rindex("{")] if text.rfind("{") > text.rfind("}") else text
    return text


def _merged(shapes: dict[str, list[int]], about: set[str], check: Callable[[], None]) -> dict[str, list[int]]:
    """Shapes that differ in names alone are one: what looks like a name and stands where another line has another one."""
    for _ in range(2):
        tokens = {shape: shape.split(" ") for shape in shapes}
        beside: dict[tuple[str, ...], set[str]] = defaultdict(set)
        for number, words in enumerate(tokens.values()):
            if not number % 256:
                check()
            for at in _names_in(words):
                beside[(*words[:at], "\0", *words[at + 1 :])].add(words[at])
        merged: dict[str, list[int]] = {}
        check()
        for shape, numbers in shapes.items():
            words = list(tokens[shape])
            whole = tuple(words)
            for at in _names_in(words):
                if len(beside[(*whole[:at], "\0", *whole[at + 1 :])]) > 1:
                    core = words[at].strip(_EDGES)
                    words[at] = words[at].replace(core, "{word}")
            text = _cut(" ".join(words))
            merged.setdefault(text, []).extend(numbers)
            if shape in about:
                about.add(text)
        if len(merged) == len(shapes):
            return merged
        shapes = merged
    return shapes


def _names_in(words: Sequence[str]) -> list[int]:
    return list(islice((at for at, word in enumerate(words) if _is_name(word)), MOST_NAMES))


def _is_name(word: str) -> bool:
    core = word.strip(_EDGES)
    return "{" not in core and _NAME_LIKE.fullmatch(core) is not None and not RELEVANT.search(core.lower())


def _template(text: str, numbers: list[int], events: Mapping[int, Event], about: bool) -> Template:
    said = [events[n] for n in numbers if n in events]
    says = Counter(event.what.value for event in said).most_common(1)
    words = plain(_GAP.sub(" ", text))
    denies, tells = _DENIES.search(words) is not None, _TELLS.search(words) is not None
    weight = 3 * denies + 2 * bool(RELEVANT.search(words)) + tells + 2 * about
    if NOISE.search(words) and not STRONG.search(words):
        weight = 0
    return Template(text, numbers, len(said), says[0][0] if says else "", weight, denies, tells)
