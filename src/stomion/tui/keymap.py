"""Every key, in one table: bindings, the bottom bar, the help page and the documentation all come from it."""

from __future__ import annotations

from dataclasses import dataclass

from textual.binding import Binding


@dataclass(frozen=True, slots=True)
class Key:
    """`where` is `all` or the screens that know it; `bar` is its word in the bottom bar, empty to keep it off there."""

    keys: str
    action: str
    does: str
    where: tuple[str, ...] = ("all",)
    bar: str = ""
    label: str = ""

    @property
    def shown(self) -> str:
        return self.label or self.keys.split(",")[0]


SCREENS = (
    ("1", "tunnels"),
    ("2", "tunnel"),
    ("3", "negotiation"),
    ("4", "compare"),
    ("5", "path"),
    ("6", "counters"),
    ("7", "traffic"),
    ("8", "failover"),
    ("9", "evidence"),
    ("0", "read"),
)

KEYS: tuple[Key, ...] = (
    *(Key(number, f"app.show('{name}')", f"go to the screen {name}") for number, name in SCREENS),
    Key("up,down", "", "move the cursor", bar="", label="↑↓"),
    Key("enter", "", "open what is under the cursor", bar="open", label="↵"),
    Key("escape", "app.back", "back to where you came from", bar="back", label="esc"),
    Key("f", "app.finding(1)", "next finding", ("tunnels", "tunnel", "negotiation"), "finding"),
    Key("F", "app.finding(-1)", "previous finding", ("tunnels", "tunnel", "negotiation")),
    Key("e", "app.proof", "go to the proof: its line or packet", ("tunnels", "tunnel", "negotiation"), "proof"),
    Key(
        "right_square_bracket",
        "app.tunnel(1)",
        "next tunnel",
        ("tunnel", "negotiation", "compare", "path", "counters", "traffic", "failover"),
        "tunnel",
        "[ ]",
    ),
    Key(
        "left_square_bracket",
        "app.tunnel(-1)",
        "previous tunnel",
        ("tunnel", "negotiation", "compare", "path", "counters", "traffic", "failover"),
        "",
        "[",
    ),
    Key("m", "app.show('sites')", "how the sites are joined, and what takes over from what", ("tunnels",), "sites"),
    Key("v", "screen.order", "in groups: by cause, site, state or finding", ("tunnels",), "groups"),
    Key("x", "screen.list", "write the tunnels shown as a table (CSV)", ("tunnels",)),
    Key("a", "screen.attempt(1)", "next attempt", ("negotiation",), "attempt"),
    Key("A", "screen.attempt(-1)", "previous attempt", ("negotiation",)),
    Key("n", "screen.failure(1)", "next failure, in this attempt or a later one", ("negotiation",), "failure"),
    Key("N", "screen.failure(-1)", "previous failure", ("negotiation",)),
    Key("b", "screen.clocks", "both ends' clocks, or gaps", ("negotiation",), "clocks"),
    Key("tab", "app.focus_next", "go between the panes of a screen", ("negotiation",), "pane"),
    Key("right", "screen.pane(1)", "into the fields of the message", ("negotiation",), "", "→"),
    Key("left", "screen.pane(-1)", "back to the ladder", ("negotiation",), "", "←"),
    Key("right", "screen.walk(1)", "later on the time axis", ("counters",), "time", "← →"),
    Key("left", "screen.walk(-1)", "earlier on the time axis", ("counters",)),
    Key("v", "screen.rate", "sums so far, or what went in each moment", ("counters",), "each"),
    Key("n", "screen.mark(1)", "next thing that happened", ("counters",), "event"),
    Key("N", "screen.mark(-1)", "the one before", ("counters",)),
    Key("right", "screen.walk(1)", "later on the time axis", ("failover",), "time", "← →"),
    Key("left", "screen.walk(-1)", "earlier on the time axis", ("failover",)),
    Key("z", "screen.zoom(1)", "closer to the cursor", ("failover",), "closer"),
    Key("Z", "screen.zoom(-1)", "further away", ("failover",)),
    Key("n", "screen.switch(1)", "next switch of this pair", ("failover",), "switch"),
    Key("N", "screen.switch(-1)", "the switch before", ("failover",)),
    Key(
        "less_than_sign", "screen.interval(-1)", "what if: peer detection more often", ("failover",), "what if", "<>-+"
    ),
    Key("greater_than_sign", "screen.interval(1)", "what if: peer detection less often", ("failover",), "", ">"),
    Key("minus", "screen.tries(-1)", "what if: fewer tries", ("failover",), "", "-"),
    Key("plus", "screen.tries(1)", "what if: more tries", ("failover",), "", "+"),
    Key("x", "screen.run", "run what the case expects, shown first", ("traffic",), "run"),
    Key("right", "screen.column(1)", "the target to the right", ("traffic",), "target", "← →"),
    Key("left", "screen.column(-1)", "the target to the left", ("traffic",)),
    Key("n", "screen.flow(1)", "next flow", ("path",), "flow"),
    Key("N", "screen.flow(-1)", "previous flow", ("path",)),
    Key("slash", "screen.type", "type a flow to walk", ("path",), "walk", "/"),
    Key("m", "screen.leap", "between the packet's way and the map of all packets", ("path",), "map"),
    Key("left", "screen.column(-1)", "the field to the left on the map", ("path",), "", "←"),
    Key("right", "screen.column(1)", "the field to the right on the map", ("path",), "", "→"),
    Key("", "", "what if, in the picture only: move, take away, add, change", ("path",), "what if", "<>-+="),
    Key("less_than_sign", "screen.shift(-1)", "what if: the rule one place up", ("path",), "", "<"),
    Key("greater_than_sign", "screen.shift(1)", "what if: the rule one place down", ("path",), "", ">"),
    Key("minus", "screen.off", "what if: the rule or route taken away", ("path",), "", "-"),
    Key("plus", "screen.add", "what if: add a rule, route or exemption", ("path",), "", "+"),
    Key("equals_sign", "screen.edit", "what if: the rule or route changed", ("path",), "", "="),
    Key("s", "screen.bench('another')", "keep this what-if and begin another beside it", ("compare", "path")),
    Key("tab", "screen.bench('next')", "the next what-if", ("compare", "path")),
    Key("D", "screen.bench('drop')", "drop this what-if", ("compare", "path")),
    Key("x", "screen.steps", "write this what-if as a list of steps", ("path",)),
    Key("left", "screen.side(0)", "the left end's page", ("compare",), "end", "← →"),
    Key("right", "screen.side(1)", "the right end's page", ("compare",)),
    Key("d", "screen.differing", "differing rows first, or all in order", ("compare",), "differing"),
    Key("u", "screen.bench('undo')", "undo the last change", ("compare", "path"), "undo"),
    Key("U", "screen.bench('redo')", "redo", ("compare", "path")),
    Key("x", "screen.handover", "write the list of what this end must set", ("compare",), "list"),
    Key("W", "screen.save", "save what was tried, beside the case", ("compare",), "save"),
    Key(
        "p",
        "screen.wordings",
        "the lines by their wordings: what is not understood, and how often",
        ("evidence",),
        "wordings",
    ),
    Key("n", "screen.mark(1)", "next wording that was not understood", ("wordings",), "next"),
    Key("N", "screen.mark(-1)", "previous wording that was not understood", ("wordings",)),
    Key("n", "screen.mark(1)", "next line that was understood", ("evidence",), "understood"),
    Key("N", "screen.mark(-1)", "previous line that was understood", ("evidence",)),
    Key("l", "screen.teach", "teach the line: what its wording says", ("evidence", "wordings"), "teach"),
    Key("u", "screen.untaught", "take back what was taught last", ("evidence", "wordings")),
    Key("m", "screen.fold", "this tunnel's lines alone, or all", ("evidence",), "mine"),
    Key("v", "screen.view", "one source, both ends in one column, both side by side", ("evidence",), "view"),
    Key("w", "screen.follow", "watch the source for new lines", ("evidence",)),
    Key("s", "screen.source(1)", "next source", ("evidence", "wordings"), "source"),
    Key("S", "screen.source(-1)", "previous source", ("evidence", "wordings")),
    Key("slash", "screen.filter", "filter as you type", ("tunnels", "evidence"), "filter", "/"),
    Key(
        "o",
        "app.asks",
        "what to fetch next, to decide what is open",
        ("tunnels", "tunnel", "counters", "traffic"),
        "ask",
    ),
    Key("c", "app.copy", "copy the finding, or the line, to the clipboard", bar="copy"),
    Key("r", "app.reload", "read the case again"),
    Key("t", "app.toggle_ground", "light or dark ground"),
    Key("question_mark", "app.keys", "all keys", bar="keys", label="?"),
    Key("q", "app.quit", "leave", bar=""),
)


def bindings(where: str) -> list[Binding | tuple[str, str] | tuple[str, str, str]]:
    """Textual bindings of one screen, or of the app for `all`."""
    return [Binding(k.keys, k.action, k.does, show=False) for k in KEYS if k.action and where in k.where]


def bar_keys(screen: str) -> list[tuple[str, str]]:
    """(key, word) for the bottom bar of a screen, in the table's order."""
    return [(k.shown, k.bar) for k in KEYS if k.bar and (screen in k.where or "all" in k.where)]


def help_keys(screen: str) -> list[tuple[str, str]]:
    """(key, what it does) of all keys that work on a screen."""
    return [(k.shown, k.does) for k in KEYS if screen in k.where or "all" in k.where]
