"""What a configuration speaks of: interfaces, tunnels, routes, rules, and the names it gives to networks, services and proposals."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence

from stomion.drafts import words as w
from stomion.drafts.algorithms import flat, kind_of, kinds_in, phase_of
from stomion.drafts.content import by_content, has_zone, may_be_tunnel
from stomion.drafts.items import are_items, is_numbered, is_title
from stomion.drafts.kinds import ORDERS, kind_at, kind_word, title_words
from stomion.drafts.names import KEYS, calls, name_of
from stomion.drafts.things import ACTIONS, LISTS, MERGED, Thing
from stomion.shapes.statement import Statement


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
        known = found.get(key) if thing.name and thing.kind in MERGED else None
        cipher = (thing.kind == "proposal" or bool(owner)) and _is_whole(thing)
        if known is None or (cipher and id(known) in whole):
            known = found[key] = thing
            thing.body = list(thing.body)
            out.append(thing)
        else:
            known.body += thing.body
        whole |= {id(known)} if cipher else set()
    if all(thing.kind != "tunnel" for thing in out):
        for thing in out:
            thing.kind = "tunnel" if thing.kind == "block" and may_be_tunnel(thing.body) else thing.kind
    return _with_cards(_with_profiles(out))


def _with_profiles(things: list[Thing]) -> list[Thing]:
    """Proposals that have no cipher of their own, and speak of another one that has, are but what tunnels speak of by name."""
    offers = {thing.name for thing in things if thing.kind == "proposal" and _is_whole(thing)}
    for thing in things:
        if thing.kind == "proposal" and thing.name not in offers and _speaks_of(thing, offers):
            thing.kind = "block"
    return things


def _speaks_of(thing: Thing, names: Collection[str]) -> bool:
    return any(len(one.words) > 1 and one.words[-1] in names and not one.kids for one in thing.body)


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
        place, kind, label = _within(statement, within)
        content = by_content(statement) if statement.kids and kind in ("network", "interface") else ""
        if kind == "network" and content == "interface" and has_zone(statement):
            kind = "interface"
        if not kind or (kind == "interface" and content == "tunnel"):
            yield from _unknown(statement, title)
            continue
        rest = _rest(statement, place, kind)
        if not statement.kids:
            yield from _line(kind, rest, label)
        elif not rest.words:
            yield from _titled(statement, rest, kind, label, title)
        else:
            yield from _block(statement, rest, kind, label, title)


def _within(statement: Statement, within: str) -> tuple[int, str, str]:
    """The kind of a statement, as `kind_at` gives it, where the list that it stands in may tell it too."""
    place, kind, label = kind_at(statement)
    if within == kind and not statement.after(place + 1).words and statement.kids and _by_part(statement, place):
        place = -1
    if within and (not kind or (within == "translation" and kind == "filter") or not statement.words):
        item = bool(statement.words) and statement.words[0].lower() in ("rule", "entry", "item", "line")
        kind, place = within, place if kind else 0 if item else -1
    return place, kind, label


def _rest(statement: Statement, place: int, kind: str) -> Statement:
    """What a statement says behind the word for its kind; no words where these are a list's title."""
    acts = place >= 0 and statement.words[place].lower() in ("snat", "dnat")
    rest = statement.after(place if acts else place + 1)
    if kind not in LISTS:
        return rest
    # A list with a name: each of its lines does something.
    acting = [kid for kid in statement.kids if not kid.kids and any(word.lower() in ACTIONS for word in kid.words)]
    named = len(rest.words) == 1 and len(acting) > 1 and len(acting) == len(statement.kids)
    if named or (statement.kids and is_title(rest, statement.words[place] if place >= 0 else "")):
        return statement.after(len(statement.words))
    return rest


def _titled(statement: Statement, rest: Statement, kind: str, label: str, title: str) -> Iterator[Thing]:
    """A block under the word for its kind alone: a list, or one thing whose name stands inside."""
    if statement.words and are_items(statement, kind):
        heads = " ".join(statement.words)
        yield from _walk([kid for kid in statement.kids if kid.kids or kind in LISTS], kind, heads)
    elif kind == "interface" and all(map(_is_addressed, statement.kids)):
        for kid in statement.kids:
            yield Thing(kind, kid.words[0], [kid.after(1)], kid.line, label)
    elif kind not in LISTS and _holds_others(statement, kind):
        yield from _walk(statement.kids, "")
    else:
        yield from _block(statement, rest, kind, label, title)


def _block(statement: Statement, rest: Statement, kind: str, label: str, title: str) -> Iterator[Thing]:
    """A block that tells of one thing, or of a gateway and what is in it."""
    if kind == "system" or (kind not in LISTS and _holds_named(statement, kind)):
        body = [k for k in statement.kids if not kind_at(k)[1] or not k.kids]
        yield Thing(kind, name_of(rest, kind), body, statement.line, "" if rest.words else label)
        yield from _walk([k for k in statement.kids if k.kids or kind_at(k)[1] in ("route", "interface")], "")
    elif kind in LISTS:
        number, said = _numbered(rest)
        first = [Statement(said.words, said.line, quoted=said.quoted)] if said.words else []
        yield Thing(kind, number, [*first, *statement.kids], statement.line, label)
    else:
        yield Thing(kind, name_of(rest, kind), _body(rest), statement.line, label or title)


def _by_part(statement: Statement, place: int) -> bool:
    """Is the word that tells the kind rather a name with such a word in it: `vpn-north`?"""
    word = statement.words[place].lower() if 0 <= place < len(statement.words) else ""
    return len(w.parts_of(word)) > 1 and all(word not in known for _, known in w.KINDS)


def _body(rest: Statement) -> list[Statement]:
    """What is said of a thing in a block: the words behind its name, and the lines within."""
    said = rest.after(0 if rest.words and rest.kids and w.network_of(rest.words[0]) else 1)
    if rest.kids and is_numbered(said.words) and not w.is_value(said.words[0]):
        # `tunnel NAME offer 1` over lines: they are of that offer.
        return [said]
    return [Statement(said.words, said.line, quoted=said.quoted), *rest.kids] if said.words else rest.kids


def _unknown(statement: Statement, title: str) -> Iterator[Thing]:
    """A block of no known kind: what others may speak of by its name, and what it holds."""
    words = statement.words
    if statement.kids:
        name = words[-1] if words else name_of(statement)
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
        if len(words) == 1 and _are_names(statement.kids):
            for kid in statement.kids:
                yield Thing("block", kid.words[0], kid.kids, kid.line, words[0])
            return
        if len(words) == len(("station", "NAME")) and any(
            kind_at(kid)[1] == "interface" and kid.kids for kid in statement.kids
        ):
            yield Thing("system", name, [kid for kid in statement.kids if not kid.kids], statement.line)
        elif name:
            called = next((kid.words[1] for kid in statement.kids if len(words) == 1 and calls(kid, w.NAME)), "")
            if called:
                # `<partner name="X">`: it may be spoken of by either.
                yield Thing("block", called, statement.kids, statement.line, words[0])
            body = [kid for kid in statement.kids if words or not calls(kid, KEYS)]
            yield Thing("block", name, body, statement.line, words[0] if words else title)
        elif not words:
            yield Thing("block", "", statement.kids, statement.line, title)
        yield from _walk([kid for kid in statement.kids if kid.kids or _is_system(kid)], "", " ".join(words))
        return
    if {word.lower() for word in words} & _TRANSLATED and any(map(w.network_of, words)):
        # A sentence of packets: `Traffic leaving wan is masqueraded`.
        yield Thing("translation", "", [statement], statement.line)
        return
    orders = title_words(words) or next((n for n, word in enumerate(words) if word.lower() not in ORDERS), len(words))
    if len(words) > orders + 2 and _is_route(statement.after(orders + 1)):
        yield Thing("route", "", [statement.after(orders + 1)], statement.line, words[orders])
    elif len(words) == orders + len(("site", "name", "NAME")) and _names_site(words[orders:-1]):
        yield Thing("system", words[-1], [], statement.line, words[-2])
    elif len(words) > orders + 2:
        yield Thing("block", words[orders + 1], [statement.after(orders + 2)], statement.line, words[orders])


def _names_site(key: tuple[str, ...]) -> bool:
    return bool(w.bag(key[:1]) & w.SITE and w.bag(key[1:]) & w.NAME)


_TRANSLATED = w.HIDE | {"translated", "untranslated"}


def _are_names(kids: Sequence[Statement]) -> bool:
    """Blocks under one word each, of which some have a word for a kind in them and none is such a word: `GW-north`, `GW-south`."""
    heads = [kid for kid in kids if kid.kids and len(kid.words) == 1]
    if not heads or len(heads) < len(kids) or any(kind_at(kid)[1] and not _by_part(kid, 0) for kid in heads):
        return False
    return any(kind_at(kid)[1] for kid in heads)


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
    told = len(statement.words) == len(("Gateway", "NAME")) and kind_at(statement)[1] == "system"
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


def _holds_others(statement: Statement, kind: str) -> bool:
    """Is it but a head over things of other kinds?"""
    return kind not in ("tunnel", "system") and any(
        kid.kids and kind_at(kid)[1] not in ("", kind) for kid in statement.kids
    )


def _holds_named(statement: Statement, kind: str) -> bool:
    """Is it a block of several things of its own kind?"""
    return any(kid.kids and kind_at(kid)[1] == kind and len(kid.words) > 1 for kid in statement.kids)
