"""What a configuration speaks of: interfaces, tunnels, routes, rules, and the names it gives to networks, services and proposals."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from stomion.drafts import words as w
from stomion.drafts.algorithms import flat, kind_of, kinds_in, phase_of
from stomion.drafts.content import by_content, has_zone
from stomion.drafts.roles import role_of
from stomion.shapes.statement import Statement

_ORDERS = frozenset({
    "set", "add", "create", "config", "edit", "define", "new", "insert", "ip", "ipv4", "ipv6", "crypto", "security", "static", "this",
    "the", "for", "virtual", "physical", "logical",
})  # fmt: skip
"""First words of lines that only say that something follows."""
LISTS = frozenset({"route", "translation", "filter"})
HEAD = 4
"""Words of a statement among which its kind stands."""
_MERGED = frozenset({"tunnel", "interface", "proposal", "network-group", "block"})
"""Kinds of which several lines or blocks may tell of the same one."""


@dataclass(slots=True)
class Thing:
    """`name` is empty where none stands beside the kind; `body` holds what is said of it, statement by statement. A `block` is of no
    known kind, and matters where others speak of it by its name."""

    kind: str
    name: str
    body: list[Statement]
    line: int
    label: str = ""
    """The word that told its kind."""

    def leaves(self) -> Iterator[tuple[tuple[str, ...], Statement]]:
        """(words above, statement) of all that is said of it; what stands beside the name of a block is a statement of its own."""
        yield from _leaves(self.body, ())


def _leaves(body: Sequence[Statement], above: tuple[str, ...]) -> Iterator[tuple[tuple[str, ...], Statement]]:
    for statement in body:
        if not statement.kids:
            yield above, statement
            continue
        values = any(map(w.is_value, statement.words)) or any(word.lower() in w.EVERYTHING for word in statement.words)
        if values:
            yield above, Statement(statement.words, statement.line, quoted=statement.quoted)
        keys = tuple(word for word in statement.words if not w.is_value(word)) if values else statement.words
        yield from _leaves(statement.kids, (*above, *keys))


def things_of(top: list[Statement]) -> list[Thing]:
    """Everything of a known kind, in the order of the lines; lines of commands that name the same thing are put together."""
    found: dict[tuple[str, str, int | str | None], Thing] = {}
    whole: set[int] = set()
    """Those of the found ones that tell a cipher."""
    out: list[Thing] = []
    for thing in _walk(top, ""):
        if out and _goes_on(out[-1], thing):
            out[-1].body = [*out[-1].body, *thing.body]
            continue
        owner = _owner(thing) if thing.kind == "block" else ""
        key = (thing.kind, thing.name, phase_of([thing.label]) if thing.kind == "proposal" else owner)
        known = found.get(key) if thing.name and thing.kind in _MERGED else None
        cipher = (thing.kind == "proposal" or bool(owner)) and _is_whole(thing)
        if known is None or (cipher and id(known) in whole):
            known = found[key] = thing
            thing.body = list(thing.body)
            out.append(thing)
        else:
            known.body += thing.body
        whole |= {id(known)} if cipher else set()
    return _with_cards(out)


def _with_cards(things: list[Thing]) -> list[Thing]:
    """Lines of one `network card`, by its name: what has an address and a zone is an interface."""
    lines: dict[str, list[Thing]] = {}
    for thing in things:
        if thing.kind == "network" and thing.name:
            lines.setdefault(thing.name, []).append(thing)
    cards = {}
    for name, each in lines.items():
        whole = Statement((), each[0].line, [s for thing in each for s in thing.body])
        if len(each) > 1 and by_content(whole) == "interface" and has_zone(whole):
            cards[name] = Thing("interface", name, whole.kids, each[0].line, each[0].label)
    if not cards:
        return things
    first = {id(lines[name][0]): card for name, card in cards.items()}
    rest = {id(thing) for name in cards for thing in lines[name][1:]}
    return [first.get(id(thing), thing) for thing in things if id(thing) not in rest]


def _owner(block: Thing) -> str:
    """The tunnel that a block says it belongs to."""
    return next((s.words[-1] for s in block.body if len(s.words) > 1 and kind_word(s.words[0]) == "tunnel"), "")


def _is_whole(proposal: Thing) -> bool:
    """Does it tell a cipher, so that another one of its name is another proposal?"""
    return any(
        kind_of(flat(statement)[:1]) == "encryption" or kinds_in(flat(statement)) > 1 for statement in proposal.body
    )


ACTIONS = w.ALLOW | w.DROP | w.REJECT | w.HIDE | w.EXEMPT | {"snat", "dnat"}


def _goes_on(before: Thing, thing: Thing) -> bool:
    """Is it one more line of the same numbered rule? Two lines that both say what to do are two rules of a list with that number."""
    same = (before.kind, before.name) == (thing.kind, thing.name)
    return same and thing.kind in LISTS and thing.name.isdecimal() and not (_acts(before) and _acts(thing))


def _acts(thing: Thing) -> bool:
    """Do a rule's lines say what it does?"""
    return any(word.lower() in ACTIONS for s in thing.body for word in s.words)


def _walk(top: Sequence[Statement], within: str, title: str = "") -> Iterator[Thing]:
    """`within` is the kind of the list that they stand in, `title` the words above it."""
    for statement in top:
        place, kind, label = _kind(statement)
        if within == kind and not statement.after(place + 1).words and statement.kids and _by_part(statement, place):
            place = -1
        if within and (not kind or (within == "translation" and kind == "filter") or not statement.words):
            item = bool(statement.words) and statement.words[0].lower() in ("rule", "entry", "item", "line")
            kind, place = within, place if kind else 0 if item else -1
        if kind == "network" and statement.kids and by_content(statement) == "interface" and has_zone(statement):
            kind = "interface"
        if not kind or (kind == "interface" and statement.kids and by_content(statement) == "tunnel"):
            yield from _unknown(statement, title)
            continue
        acts = place >= 0 and statement.words[place].lower() in ("snat", "dnat")
        rest = statement.after(place if acts else place + 1)
        acting = [kid for kid in statement.kids if not kid.kids and any(word.lower() in ACTIONS for word in kid.words)]
        if kind in LISTS and len(rest.words) == 1 and len(acting) > 1 and len(acting) == len(statement.kids):
            # A list with a name: each of its lines does something.
            rest = statement.after(len(statement.words))
        if statement.kids and kind in LISTS and _is_title(rest, statement.words[place] if place >= 0 else ""):
            rest = statement.after(len(statement.words))
        if not statement.kids:
            yield from _line(kind, rest, label)
        elif not rest.words and statement.words and _are_items(statement, kind):
            heads = " ".join(statement.words)
            yield from _walk([kid for kid in statement.kids if kid.kids or kind in LISTS], kind, heads)
        elif not rest.words and kind == "interface" and all(map(_is_addressed, statement.kids)):
            for kid in statement.kids:
                yield Thing(kind, kid.words[0], [kid.after(1)], kid.line, label)
        elif not rest.words and kind not in LISTS and _holds_others(statement, kind):
            yield from _walk(statement.kids, "")
        elif kind == "system" or (kind not in LISTS and _holds_named(statement, kind)):
            body = [k for k in statement.kids if not _kind(k)[1] or not k.kids]
            yield Thing(kind, _name(rest, kind), body, statement.line, "" if rest.words else label)
            yield from _walk([k for k in statement.kids if k.kids or _kind(k)[1] in ("route", "interface")], "")
        elif kind in LISTS:
            number, said = _numbered(rest)
            first = [Statement(said.words, said.line, quoted=said.quoted)] if said.words else []
            yield Thing(kind, number, [*first, *statement.kids], statement.line, label)
        else:
            yield Thing(kind, _name(rest, kind), _body(rest), statement.line, label or title)


def _by_part(statement: Statement, place: int) -> bool:
    """Is the word that tells the kind rather a name with such a word in it: `vpn-north`?"""
    word = statement.words[place].lower() if 0 <= place < len(statement.words) else ""
    return len(w.parts_of(word)) > 1 and all(word not in known for _, known in w.KINDS)


def _body(rest: Statement) -> list[Statement]:
    """What is said of a thing in a block: the words behind its name, and the lines within."""
    said = rest.after(0 if rest.words and rest.kids and w.network_of(rest.words[0]) else 1)
    if rest.kids and _is_numbered(said.words) and not w.is_value(said.words[0]):
        # `tunnel NAME offer 1` over lines: they are of that offer.
        return [said]
    return [Statement(said.words, said.line, quoted=said.quoted), *rest.kids] if said.words else rest.kids


def _unknown(statement: Statement, title: str) -> Iterator[Thing]:
    """A block of no known kind: what others may speak of by its name, and what it holds."""
    words = statement.words
    if statement.kids:
        name = words[-1] if words else _name(statement)
        kind = by_content(statement) if words else ""
        if kind and (len(words) > 1 or kind == "route"):
            yield Thing(kind, name, statement.kids, statement.line, words[0])
            return
        if len(words) == 1 and all(map(_is_route, statement.kids)):
            for kid in statement.kids:
                yield Thing("route", "", [kid], kid.line, words[0])
            return
        alike = {by_content(kid) if kid.kids else "" for kid in statement.kids} if len(words) == 1 else set()
        if len(alike) == 1 and "" not in alike:
            # Things of one kind, under a word that nobody knows.
            for kid in statement.kids:
                yield Thing(next(iter(alike)), kid.words[-1] if kid.words else "", kid.kids, kid.line, words[0])
            return
        if len(words) == len(("station", "NAME")) and any(
            _kind(kid)[1] == "interface" and kid.kids for kid in statement.kids
        ):
            yield Thing("system", name, [kid for kid in statement.kids if not kid.kids], statement.line)
        elif name:
            body = [kid for kid in statement.kids if words or not _calls(kid, _KEYS)]
            yield Thing("block", name, body, statement.line, words[0] if words else title)
        elif not words:
            yield Thing("block", "", statement.kids, statement.line, title)
        yield from _walk([kid for kid in statement.kids if kid.kids or _is_system(kid)], "", " ".join(words))
        return
    if {word.lower() for word in words} & _TRANSLATED and any(map(w.network_of, words)):
        # A sentence of packets: `Traffic leaving wan is masqueraded`.
        yield Thing("translation", "", [statement], statement.line)
        return
    orders = next((n for n, word in enumerate(words) if word.lower() not in _ORDERS), len(words))
    if len(words) > orders + 2:
        yield Thing("block", words[orders + 1], [statement.after(orders + 2)], statement.line, words[orders])


_TRANSLATED = w.HIDE | {"translated", "untranslated"}


def _is_addressed(statement: Statement) -> bool:
    """A name with an address beside it."""
    words = statement.words
    return (
        len(words) > 1 and not statement.kids and not kind_word(words[0]) and any(map(w.interface_address, words[1:]))
    )


def _is_route(statement: Statement) -> bool:
    """A network, and where to."""
    words = statement.words
    if statement.kids or len(words) < len(("NETWORK", "blackhole")) or "/" not in w.network_of(words[0]):
        return False
    return any(word.lower() in w.VIA | w.HOLE | w.ON for word in words[1:])


def _is_system(statement: Statement) -> bool:
    """`Gateway: NAME` and nothing more."""
    told = len(statement.words) == len(("Gateway", "NAME")) and _kind(statement)[1] == "system"
    return told and not set(w.parts_of(statement.words[0])) & w.NAME


def _line(kind: str, rest: Statement, label: str) -> Iterator[Thing]:
    """A thing of which one line tells."""
    if kind in LISTS:
        number, said = _numbered(rest)
        yield Thing(kind, number, [said], rest.line)
        return
    words = rest.words
    if kind == "system" and len(words) > 1 and words[0].lower() in _FILLERS:
        yield Thing(kind, words[-1], [], rest.line, label)
        return
    skip = 1 if len(words) > 1 and set(w.parts_of(words[0])) & (w.NAME | {"is"}) else 0
    yield Thing(kind, words[skip] if words else "", [rest.after(1 + skip)], rest.line, words[0] if skip else label)


_FILLERS = frozenset({"of", "the", "this", "is"})


def _numbered(rest: Statement) -> tuple[str, Statement]:
    """A rule's number, and what follows it."""
    words = rest.words
    return (words[0], rest.after(1)) if words and words[0].isdecimal() else ("", rest)


_PROPERTIES = w.OWN | w.FAR | w.DPD | w.PHASE_1 | w.PHASE_2 | w.IDENTITY | {"auth", "authentication", "match", "action"}


def _are_items(statement: Statement, kind: str) -> bool:
    """Is it a list of things, each a block of their kind, without a name, or with its name alone?"""
    if kind in LISTS:
        return not _is_numbered(statement.words[-1:]) and not _is_one(statement)
    blocks = [kid for kid in statement.kids if kid.words and kid.kids]
    if all(not kid.words or _kind(kid)[1] == kind for kid in statement.kids if kid.kids):
        return all(kid.kids for kid in statement.kids)
    last = statement.words[-1].lower() if statement.words else ""
    plural = last.endswith("s") and not last.endswith("ss")
    plain = all(
        len(kid.words) == 1 and (kind != "tunnel" or not set(w.parts_of(kid.words[0])) & _PROPERTIES) for kid in blocks
    )
    names = kind != "tunnel" and all(not _kind(kid)[1] and kid.words for kid in blocks)
    return plain and all(kid.kids for kid in statement.kids) and (plural or names or not _single(kind, statement))


def _is_title(rest: Statement, label: str) -> bool:
    """Do the words after the name of a list only speak of it: `Filter rules, the first match counts`?"""
    about = sum(word.lower() in _ABOUT for word in rest.words) > 1
    return (label.lower().endswith("s") or about) and len(rest.words) > 1 and not any(map(w.is_value, rest.words))


_ABOUT = frozenset({"in", "the", "this", "order", "first", "match", "list", "of", "counts", "from", "top"})


def _single(kind: str, statement: Statement) -> bool:
    """Do the blocks within tell of one thing?"""
    return kind != "tunnel" or any(_kind(kid)[1] not in ("", kind) for kid in statement.kids)


def _is_one(statement: Statement) -> bool:
    """Is a block one rule, whose lines are keys with a value each?"""
    if w.parts_of(statement.words[-1])[-1:] in (("rule",), ("entry",)):
        return all(kid.words and not (kid.kids and _kind(kid)[1] in LISTS) for kid in statement.kids)
    plain = [kid for kid in statement.kids if kid.words and not kid.kids]
    told = sum(map(_says_one, plain))
    # Where several lines are keys that are known, those with a sign behind theirs are keys as well.
    keys = [_key(kid.words) for kid in plain if _says_one(kid) or (kid.key and told > 1)]
    once = [key for key in keys if key[0] not in _SERVICES]
    if len(keys) == len(statement.kids) and len(set(once)) == len(once):
        return True
    return all(
        kid.words
        and sum(not w.is_value(word) for word in kid.words) < HEAD
        and not kid.kids
        and not w.is_value(kid.words[0])
        for kid in statement.kids
    )


def _key(words: Sequence[str]) -> tuple[str, ...]:
    """The words of a line before its value: `from`, or `from zone`."""
    before = [word.lower() for word in words[:2] if not w.is_value(word)]
    return tuple(before if before and len(words) > len(before) else [words[0].lower()])


_SERVICES = w.SERVICE - {"for"}


def _says_one(statement: Statement) -> bool:
    """Does a line say one thing of a rule: a key that is known, and its value?"""
    words = statement.words
    if len(words) < len(("key", "value")):
        return False
    head = words[:-1][:2] if len(words) > len(("key", "value")) and not w.is_value(words[1]) else words[:1]
    if {part for word in head for part in w.parts_of(word)} & w.NAME and not role_of(head[0]):
        return True
    known = role_of(head[0]) or head[0].lower() in _DOES or role_of("-".join(head))
    return bool(known) and not any(
        role_of(word) or word.lower() in _DOES for word in words[len(head) :] if not w.is_value(word)
    )


_DOES = frozenset({"action", "act", "do", "verdict", "then", "translate", "type"})


def _is_numbered(words: Sequence[str]) -> bool:
    return bool(words) and words[-1][-1:].isdecimal()


def _kind(statement: Statement) -> tuple[int, str, str]:
    """(the last word that tells, the kind, the word that told) of a statement; an empty kind for one of no known kind."""
    words = statement.words
    if len(words) > 1 and statement.kids and all(not kid.words for kid in statement.kids):
        last = kind_word(words[-1])
        if last and all(map(kind_word, words)) and last not in LISTS:
            # "Tunnel interfaces" over rows: they are of interfaces.
            return len(words) - 1, last, words[-1]
    heads = []
    for place, word in enumerate(words[:HEAD]):
        if place in statement.quoted:
            break
        heads.append(word.lower())
    for place, low in enumerate(heads):
        following = heads[place + 1] if place + 1 < len(heads) else ""
        room = len(words) > place + 2 or (bool(statement.kids) and len(words) > place + 1)
        pair = _pair(low, following) if room else ""
        if pair:
            return _again(words, heads, place + 1, pair, statement), pair, low
        kind = kind_word(words[place])
        if statement.kids and kind and following and (narrower := kind_word(words[place + 1])) in _NARROWER:
            # "Network interface NAME": the second word says what the first is of.
            kind, place = narrower, place + (narrower != kind)
        if kind:
            at = _again(words, heads, place, kind, statement)
            return at, kind, words[at] if kind == "system" else words[place]
        if low not in _ORDERS and tuple(heads[: len(_BETWEEN_SITES)]) != _BETWEEN_SITES:
            break
    return 0, "", ""


_NARROWER = frozenset({"interface", "route"})
_BETWEEN_SITES = ("site", "to", "site")


def _again(words: Sequence[str], heads: Sequence[str], place: int, kind: str, statement: Statement) -> int:
    """Further words for the same kind: `vpn connection NAME`, `nat rule 10`."""
    known = next(some for name, some in w.KINDS if name == kind)
    while place + 1 < len(heads) and (len(words) > place + 2 or statement.kids):
        low = heads[place + 1]
        if not (
            low.removesuffix("s") in known
            or low in known
            or (kind in LISTS and low in ("rule", "rules", "list", "entry", "table"))
            or (kind == "translation" and low in w.SOURCE | w.DESTINATION)
            or (kind == "route" and low == "static")
        ):
            break
        place += 1
    return place


def _pair(low: str, following: str) -> str:
    """The kind that two words tell together: `ike proposal`, `phase1 offer`, `address translation`."""
    parts = set(w.parts_of(following))
    if phase_of([low]) and parts & w.OFFERS:
        return "proposal"
    if low in ("address", "network", "port") and parts & w.TRANSLATION:
        return "translation"
    return "route" if low == "static" and following in ("route", "routes") else ""


def kind_word(word: str) -> str:
    """The kind that a word tells; empty where it tells none."""
    low = word.lower()
    for one in (low, low.removesuffix("s")):
        whole = next((kind for kind, known in w.KINDS if one in known), "")
        if whole:
            return whole
    parts = w.parts_of(word)
    if len(parts) == 1:
        one = parts[0].removesuffix("s")
        return (
            next((kind for kind, known in w.KINDS if parts[0] in known or one in known), "") if parts[0] != low else ""
        )
    told = set(parts)
    if told & {"gateway", "gw", "peer"} and phase_of([word]) == 1:
        return ""
    if told & {"crypto", "cipher"} and {p.removesuffix("s") for p in parts} & w.OFFERS:
        return "proposal"
    if told & w.OFFERS and phase_of([word]):
        return "proposal"
    if told & w.TRANSLATION and not told & {"traversal", "t", "keepalive"}:
        return "translation"
    ends = tuple(part for part in (parts[-1], parts[0]) if part not in _WHOLE) if parts else ()
    each = tuple(one for part in ends for one in (part, part.removesuffix("s") if part != "names" else part))
    return next((kind for part in each for kind, known in w.KINDS if part in known), "")


_WHOLE = frozenset({"link", "if"})
"""Words that tell a kind by themselves alone."""


def _holds_others(statement: Statement, kind: str) -> bool:
    """Is it but a head over things of other kinds?"""
    return kind not in ("tunnel", "system") and any(
        kid.kids and _kind(kid)[1] not in ("", kind) for kid in statement.kids
    )


def _holds_named(statement: Statement, kind: str) -> bool:
    """Is it a block of several things of its own kind?"""
    return any(kid.kids and _kind(kid)[1] == kind and len(kid.words) > 1 for kid in statement.kids)


def _name(rest: Statement, kind: str = "") -> str:
    """The word beside the kind, else what a line inside calls it: by a word for a name, or by that for its kind."""
    words = [word for word in rest.words if word.lower() not in w.NAME and not (rest.kids and w.network_of(word))]
    if kind == "system" and len(words) > 1 and words[0].lower() in _FILLERS:
        return words[-1]
    called = next((kid for known in (w.NAME, _KEYS) for kid in rest.kids if _calls(kid, known)), None)
    if words and not (called is not None and all(word.lower() in _COUNTED or word.isdecimal() for word in words)):
        return words[0]
    if called is None and not words and kind in _MERGED:
        called = next(
            (
                kid
                for kid in rest.kids
                if len(kid.words) == len(("interface", "wan"))
                and not kid.kids
                and kind_word(kid.words[0]) == kind
                and not w.is_value(kid.words[1])
            ),
            None,
        )
    return " ".join(called.words[1:]) if called is not None else ""


_COUNTED = frozenset({"no", "nr", "number", "#"})
_KEYS = frozenset({"id", "ref", "handle"})


def _calls(kid: Statement, known: frozenset[str]) -> bool:
    """Is it a key for a name, and nothing else?"""
    return (
        len(kid.words) > 1 and not kid.kids and bool(set(w.parts_of(kid.words[0])) & known) and not _sided(kid.words[0])
    )


def _sided(word: str) -> bool:
    return bool(set(w.parts_of(word)) & (w.OWN | w.FAR))
