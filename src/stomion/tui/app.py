"""Wiring: the screens and the state they share; the case itself is read in tui.reading."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, cast

from textual.app import SystemCommand
from textual.binding import Binding
from textual.screen import Screen

from stomion.model.provenance import Provenance
from stomion.tui.keymap import KEYS, bindings
from stomion.tui.palette import themes
from stomion.tui.reading import ReadingApp
from stomion.tui.screens.base import Page
from stomion.tui.screens.tunnels import TunnelsScreen
from stomion.tui.spans import Line
from stomion.vocabulary.clean import clean

if TYPE_CHECKING:
    from stomion.diagnosis.runner import Diagnosis
    from stomion.jobs.examine import Examined
    from stomion.logs.phrasebook import Phrase
    from stomion.tui.screens.evidence import EvidenceScreen
    from stomion.tui.screens.negotiation import NegotiationScreen
    from stomion.tui.screens.wordings import WordingsScreen


# Only the first screen is loaded before the first paint: the others bring the rules, the readers and the walk with them.
def _tunnel() -> Page:
    from stomion.tui.screens.tunnel import TunnelScreen

    return TunnelScreen()


def _negotiation() -> NegotiationScreen:
    from stomion.tui.screens.negotiation import NegotiationScreen

    return NegotiationScreen()


def _compare() -> Page:
    from stomion.tui.screens.compare import CompareScreen

    return CompareScreen()


def _path() -> Page:
    from stomion.tui.screens.path import PathScreen

    return PathScreen()


def _counters() -> Page:
    from stomion.tui.screens.counters import CountersScreen

    return CountersScreen()


def _traffic() -> Page:
    from stomion.tui.screens.traffic import TrafficScreen

    return TrafficScreen()


def _failover() -> Page:
    from stomion.tui.screens.failover import FailoverScreen

    return FailoverScreen()


def _sites() -> Page:
    from stomion.tui.screens.sites import SitesScreen

    return SitesScreen()


def _wordings() -> WordingsScreen:
    from stomion.tui.screens.wordings import WordingsScreen

    return WordingsScreen()


def _evidence() -> EvidenceScreen:
    from stomion.tui.screens.evidence import EvidenceScreen

    return EvidenceScreen()


def _what_was_read() -> Page:
    from stomion.tui.screens.read import ReadScreen

    return ReadScreen()


_MAKE: dict[str, Callable[[], Page]] = {
    "tunnels": TunnelsScreen,
    "tunnel": _tunnel,
    "negotiation": _negotiation,
    "compare": _compare,
    "path": _path,
    "counters": _counters,
    "traffic": _traffic,
    "failover": _failover,
    "evidence": _evidence,
    "read": _what_was_read,
    "sites": _sites,
    "wordings": _wordings,
}
"""Every screen by its place; each is made when it is shown first."""
OF_A_TUNNEL = ("tunnel", "negotiation", "compare", "path", "counters", "traffic", "failover")
"""Screens that are about the chosen tunnel."""


class StomionApp(ReadingApp):
    """`paths` are what `stomion PATH` was given."""

    TITLE = "Stomion"
    ENABLE_COMMAND_PALETTE = True
    BINDINGS = [*bindings("all"), Binding("ctrl+c", "stop", "stop reading, or leave", show=False, priority=True)]
    CSS = """
    Screen { background: $background; color: $foreground; }
    Bar { height: 1; }
    SearchIcon { color: $foreground; }
    .hidden-input { display: none; height: 3; }
    .hidden-input.open { display: block; }
    Lines { scrollbar-size-vertical: 1; scrollbar-size-horizontal: 0; overflow-x: hidden; }
    """

    def __init__(
        self, paths: list[Path], *, ground: str = "reef-night", keep: bool = False, goes_on: bool = False
    ) -> None:
        """With `goes_on` an error on a screen is said, and the other screens stay."""
        super().__init__(paths, keep=keep)
        for theme in themes():
            self.register_theme(theme)
        self.theme = ground
        self._places: list[str] = []
        self.goes_on = goes_on
        self.wanted = ""
        """The tunnel that was chosen while the case was being read."""
        self.order: tuple[Diagnosis, ...] = ()
        self.current: Diagnosis | None = None
        self.finding = 0
        self.taught: list[tuple[Phrase, Phrase | None]] = []
        """What was taught in this session, each with what had the same wording before, to be taken back."""

    def on_mount(self) -> None:
        self._pages: dict[str, Page] = {}
        self.push_screen(self._page("tunnels"))
        self.call_after_refresh(self.read)

    def _page(self, place: str) -> Page:
        """A screen; installed, it keeps its cursor and what is being tried on it while another is shown."""
        if place not in self._pages:
            self._pages[place] = _MAKE[place]()
            self.install_screen(self._pages[place], place)
        return self._pages[place]

    def take(self, found: Examined) -> None:
        name = self.current.picture.name if self.current else self.wanted
        self.order = found.worst_first()
        self.current = next((d for d in self.order if d.picture.name == name), self.order[0] if self.order else None)
        self.finding = 0
        self.show_state()

    def show_state(self) -> None:
        if isinstance(self.screen, Page):
            self.screen.refresh_page()

    # -- where one is ------------------------------------------------------------------------------------------

    @property
    def place(self) -> str:
        """The present screen's name."""
        return next((s.place for s in reversed(self.screen_stack) if isinstance(s, Page)), "tunnels")

    def trail(self, place: str) -> Line:
        """`Lanternreef Ocean Observatory › Quayhead - Saltern › negotiation`."""
        title = self._paths[0].name if self._paths else ""
        if self.examined is not None or self.before is not None:
            title = (
                self.examined.evidence.title
                if self.examined is not None
                else self.before.title
                if self.before
                else title
            )
        line: Line = [(title, "!strong" if place == "tunnels" else "muted")]
        if place in OF_A_TUNNEL and self.current is not None:
            picture = self.current.picture
            line += [("  ›  ", "faint"), (f"{picture.left.title} – {picture.right.title}", "!strong")]
        if place in (*OF_A_TUNNEL[1:], "evidence", "read", "sites", "wordings"):
            line += [("  ›  ", "faint"), (place, "strong")]
        return line

    def position(self) -> str:
        """`tunnel 2 of 10`."""
        if self.current is None or self.current not in self.order:
            return ""
        return f"tunnel {self.order.index(self.current) + 1} of {len(self.order)}"

    def choose(self, diagnosis: Diagnosis) -> None:
        """Make a tunnel the present one."""
        if diagnosis is not self.current:
            self.current, self.finding = diagnosis, 0

    def show(self, place: str) -> None:
        """Go to a screen; Escape comes back."""
        if place == self.place:
            return
        self._places.append(self.place)
        del self._places[:-32]
        self.switch_screen(self._page(place))

    # -- actions -----------------------------------------------------------------------------------------------

    def action_show(self, place: str) -> None:
        if not isinstance(self.screen, Page):
            return
        if place == "evidence" and self.current is not None:
            # A tunnel's evidence opens where it matters; the same tunnel's stays where it was left.
            evidence = cast("EvidenceScreen", self._page(place))
            self.show(place)
            self.call_after_refresh(evidence.open_tunnel, self.current)
            return
        self.show(place)

    async def action_back(self) -> None:
        screen = self.screen
        if isinstance(screen, Page) and screen.close_filter():
            return
        if self._places:
            self.switch_screen(self._page(self._places.pop()))
        elif self.place != "tunnels":
            self.switch_screen(self._page("tunnels"))

    def action_tunnel(self, step: int) -> None:
        if self.current in self.order:
            at = self.order.index(self.current)
            self.choose(self.order[(at + step) % len(self.order)])
            self.show_state()

    def action_finding(self, step: int) -> None:
        """The next finding: of this tunnel, then of the next tunnel that has one."""
        if self.current is None:
            return
        wanted = self.finding + step
        if 0 <= wanted < len(self.current.findings):
            self.finding = wanted
        else:
            self._finding_elsewhere(step)
        self.show_state()

    def _finding_elsewhere(self, step: int) -> None:
        assert self.current is not None
        at = self.order.index(self.current)
        for distance in range(1, len(self.order) + 1):
            other = self.order[(at + step * distance) % len(self.order)]
            if other.findings:
                self.choose(other)
                self.finding = 0 if step > 0 else len(other.findings) - 1
                return
        self.notify("There are no findings in this case.")

    def action_proof(self) -> None:
        """The first place of proof of the present finding."""
        if self.current is None or not self.current.findings:
            self.notify("No finding here, and so no proof to go to.")
            return
        evidence = self.current.findings[min(self.finding, len(self.current.findings) - 1)].evidence
        if evidence:
            self.open_place(evidence[0])
        else:
            self.notify("This finding rests on the sheets alone.")

    def open_place(self, place: Provenance) -> None:
        """Go to a line in its text or to a packet in its ladder."""
        if place.packet is not None:
            screen = cast("NegotiationScreen", self._page("negotiation"))
            self.show("negotiation")
            self.call_after_refresh(self._go_to, screen, place)
            return
        self.show("evidence")
        evidence = cast("EvidenceScreen", self._page("evidence"))
        self.call_after_refresh(evidence.open, place.file, place.line or 1)

    def show_wordings(self, file: str) -> None:
        """A source by its wordings."""
        screen = cast("WordingsScreen", self._page("wordings"))
        self.show("wordings")
        self.call_after_refresh(screen.open, file)

    def open_lines(self, file: str, numbers: list[int]) -> None:
        """Some lines of a source alone."""
        evidence = cast("EvidenceScreen", self._page("evidence"))
        self.show("evidence")
        self.call_after_refresh(evidence.open_lines, file, numbers)

    def _go_to(self, screen: NegotiationScreen, place: Provenance) -> None:
        if not screen.go_to(place):
            self.notify(f"{place} is no message of this tunnel.", markup=False)

    def finding_text(self) -> str:
        """The present finding as text for a ticket or a mail."""
        if self.current is None or not self.current.findings:
            return ""
        finding = self.current.findings[min(self.finding, len(self.current.findings) - 1)]
        lines = [f"{self.current.picture.name}: {finding.summary} ({finding.certainty.value})"]
        lines += [f"  {r.side}: {r.text}" for r in finding.remedies]
        lines += [f"  proof: {p}" for p in finding.evidence]
        return "\n".join(lines)

    def action_copy(self) -> None:
        text = self.screen.copied() if isinstance(self.screen, Page) else ""
        if not text:
            self.notify("There is nothing to copy here.")
            return
        # What a terminal gets to see or to paste never steers it, wherever the text came from.
        text = "\n".join(map(clean, text.split("\n")))
        self.copy_to_clipboard(text)
        first = text.split("\n", 1)[0]
        self.notify(f"Copied: {first[:60]}{'…' if len(first) > 60 else ''}", markup=False)

    def action_reload(self) -> None:
        self.read()

    def action_toggle_ground(self) -> None:
        self.theme = "reef-day" if self.theme == "reef-night" else "reef-night"
        self.show_state()

    def action_keys(self) -> None:
        if isinstance(self.screen, Page):
            from stomion.tui.screens.keys import KeysScreen

            self.push_screen(KeysScreen(self.place))

    def action_asks(self) -> None:
        """What to fetch next for the present tunnel."""
        if self.current is None or self.examined is None:
            self.notify("No tunnel is chosen.")
            return
        from stomion.tui.screens.asks import AsksScreen

        self.push_screen(AsksScreen(self.current, self.examined.evidence.root))

    def action_command_palette(self) -> None:
        from stomion.tui.finder import Finder

        if not isinstance(self.screen, Finder):
            self.push_screen(Finder(id="--command-palette"))

    def action_stop(self) -> None:
        """Stop a reading that is under way; otherwise leave."""
        if not self.stop_reading():
            self.exit()

    def get_system_commands(self, screen: Screen[object]) -> Iterable[SystemCommand]:
        """Every action of the screen the palette was opened on, each once, in the order of the key table."""
        place = screen.place if isinstance(screen, Page) else ""
        for key in KEYS:
            if key.action and (place in key.where or "all" in key.where):
                run = partial(screen.run_action, key.action)
                yield SystemCommand(
                    key.does[:1].upper() + key.does[1:], f"key {key.shown}", partial(self.call_later, run)
                )
