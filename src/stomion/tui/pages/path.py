"""One packet's way through both gateways on facing pages, with its answer beneath."""

from __future__ import annotations

from dataclasses import dataclass

from stomion.diagnosis.runner import Diagnosis
from stomion.model.box import Box
from stomion.model.provenance import Provenance
from stomion.model.tables import Action, Route, RoutingRule, Rule
from stomion.space.axis import address_text
from stomion.space.boxes import DESTINATION, PORT, PROTOCOL, SOURCE
from stomion.space.services import service_text
from stomion.tui.spans import Line, cut, left, paragraph, right
from stomion.tunnel.flows import EXEMPTS, Flow, Flows, asked_text, flow_text, rules_below
from stomion.tunnel.picture import Picture
from stomion.views.standing import down_words
from stomion.walk.journey import NEAR, Leg
from stomion.walk.passage import Decision, Fate, Reason, Step
from stomion.whatif.tables import Place
from stomion.whatif.typed import rule_text

_DOES = {
    Action.ACCEPT: "lets it pass",
    Action.RETURN: "exempts it",
    Action.DROP: "drops it",
    Action.REJECT: "rejects it",
    Action.MASQUERADE: "translates it",
}
MOST_BELOW = 2
SPINE = 17
"""Columns of the seam: an arrow and the name of the decision."""


@dataclass(frozen=True, slots=True)
class Stop:
    """What a line stands for: a decision with its rule or route at a machine; or a row of a map (`row`, of direction `index`)."""

    place: Place | None = None
    step: Step | None = None
    packet: str = ""
    row: int = -1
    index: int = 0

    @property
    def rule(self) -> Rule | None:
        return self.step.rule if self.step is not None else None

    @property
    def route(self) -> Route | None:
        return self.step.way.route if self.step is not None and self.step.way is not None else None

    @property
    def routing_rule(self) -> RoutingRule | None:
        """The rule of policy routing that led here, where it is somebody's own."""
        rule = self.step.way.rule if self.step is not None and self.step.way is not None else None
        return rule if rule is not None and not rule.of_the_system else None

    @property
    def where(self) -> Provenance | None:
        return self.step.where if self.step is not None else None


Built = list[tuple[Line, Stop | None]]


def standing(diagnosis: Diagnosis | None, width: int) -> Built:
    """Above everything where the tunnel is down: that it is, at which stage, and what the tables tell then."""
    why, tables = down_words(diagnosis) if diagnosis is not None else ("", "")
    if not why:
        return []
    lines = [*paragraph(why, "!change", width - 4, 2), *paragraph(tables, "muted", width - 4, 2)]
    return [([], None), *((line, None) for line in lines)]


def way(picture: Picture, flows: Flows, flow: Flow | None, number: tuple[int, int], width: int, trying: bool) -> Built:
    """`number` is the flow's and how many there are; `trying` where a change is being tried."""
    half = max(20, (width - SPINE - 4) // 2)
    built: Built = [([], None), *[(line, None) for line in _heads(picture, flows, flow, number, half, trying)]]
    if flow is not None and flow.trip is not None:
        sender = 0 if flow.test.from_left else 1
        built += _leg(flows, flow.trip.there, sender, half)
        if flow.trip.back is not None:
            built.append(([(" " * (half + 4), "plain"), ("its answer", "muted")], None))
            built += _leg(flows, flow.trip.back, 1 - sender, half)
        built.append(([], None))
        built += [(line, None) for line in _verdict(flow, width, trying)]
    elif flow is not None:
        built.append(([("  This flow can't be walked: an address or a service of it is not known.", "muted")], None))
    built.append(([], None))
    return built


def _heads(
    picture: Picture, flows: Flows, flow: Flow | None, number: tuple[int, int], half: int, trying: bool
) -> list[Line]:
    leg = flow.broken if flow is not None else None
    wrong = -1
    if flow is not None and flow.trip is not None and leg is not None and flow.test.expected:
        wrong = flows.ends_of(flow.test.from_left, leg, flow.trip.on_the_way_back)
    names: Line = [
        (
            right(("must change▐ " if wrong == 0 else "") + picture.left.title, half),
            "!change" if wrong == 0 else "!strong",
        ),
        (" " * SPINE, "plain"),
        (picture.right.title + (" ▌must change" if wrong == 1 else ""), "!change" if wrong == 1 else "!strong"),
    ]
    if flow is None:
        says = "No flow was tested or is expected; / takes one: 10.64.0.9 > 10.96.0.10 tcp/80"
        return [[("  " + says, "muted")], [], names]
    head: Line = [
        ("  " + flow_text(flow.test), "!strong"),
        (f"   {_outcome(flow, trying)}", "muted"),
        (f"   flow {number[0] + 1} of {number[1]}", "faint"),
    ]
    asked = asked_text(flow) or _stand_in(flow)
    return [head, *([[("  " + cut(asked, 2 * half + SPINE), "muted")]] if asked else []), [], names]


def _stand_in(flow: Flow) -> str:
    """Which address was taken for a host whose own is not known; empty where it is."""
    if flow.test.source or flow.trip is None:
        return ""
    address = address_text(flow.trip.there.box[SOURCE][0])
    return f"{address} stands in for {flow.test.who or 'the sender'}, whose address is not known"


def _outcome(flow: Flow, trying: bool) -> str:
    test = flow.test
    if trying:
        text = "as the tables would have it"
    elif not test.seen:
        text = "was not tried"
    elif test.passed:
        text = "was answered"
    else:
        text = f"got no answer{f' ({test.error})' if test.error else ''}"
    return text if test.expected else f"{text}, and ought to be blocked"


def _leg(flows: Flows, leg: Leg, sender: int, half: int) -> Built:
    built: Built = []
    packet = tuple(leg.box)
    if leg.steps:
        built.append((_packet_line(packet, sender, half, False), None))
    for index, (at, step) in enumerate(leg.steps):
        side = sender if at == NEAR else 1 - sender
        ended = leg.fate is not Fate.CARRIED
        state = "plain" if not ended or index < leg.decided else "broken" if index == leg.decided else "after"
        packet = _after(packet, step)
        stop = Stop(_place(flows, leg, step, side), step, _packet_text(packet))
        built.append((_step_line(step, side, sender, half, state), stop))
        if step.sets is not None:
            built.append((_packet_line(packet, side, half, state == "broken"), None))
        if state == "broken":
            built += _too_late(flows, leg, step, side, half)
    if not leg.steps:
        built.append(([(" " * (half + 4), "plain"), ("no table of this way is known", "faint")], None))
    return built


def _after(packet: Box, step: Step) -> Box:
    if step.sets is None:
        return packet
    axis, value = step.sets
    return (*packet[:axis], (value, value), *packet[axis + 1 :])


def _packet_text(packet: Box) -> str:
    service = service_text(packet[PROTOCOL], packet[PORT]).replace("icmp/8", "ping").replace("icmp/0", "ping answer")
    return f"{address_text(packet[SOURCE][0])} > {address_text(packet[DESTINATION][0])} {service}"


def _packet_line(packet: Box, side: int, half: int, broken: bool) -> Line:
    text, tone = _packet_text(packet), "!change" if broken else "source"
    mark = " ┊" if broken else " ┃"
    if side == 0:
        return [(right(cut(text, half), half), tone), (mark, "faint")]
    return [(" " * half, "plain"), (left(mark, SPINE), "faint"), (cut(text, half), tone)]


def _too_late(flows: Flows, leg: Leg, step: Step, side: int, half: int) -> Built:
    """Rules below the one that decided that match the packet too: they are never asked, unless they are moved up."""
    tables = _place(flows, leg, step, side)
    machine = flows.sides[side].hosts.get(tables.host) if tables.host else flows.sides[side].gateway
    if step.rule is None or machine is None:
        return []
    built: Built = []
    for rule in rules_below(machine, leg)[:MOST_BELOW]:
        does = (
            "exempts it"
            if step.what is Decision.TRANSLATION and rule.action in EXEMPTS
            else _DOES.get(rule.action, rule.action)
        )
        later = Step(step.what, Reason.NEVER_ASKED, rule.where, rule, note=does)
        built.append((_step_line(later, side, 0, half, "after"), Stop(tables, later, _packet_text(leg.box))))
    return built


def _place(flows: Flows, leg: Leg, step: Step, side: int) -> Place:
    """The machine that decides: a host's own route or filter, else the gateway."""
    if step.what not in (Decision.HOST, Decision.HOST_FILTER):
        return Place(side)
    axis = SOURCE if step.what is Decision.HOST else DESTINATION
    host = flows.sides[side].host_at(leg.box[axis][0])
    return Place(side, host.host if host is not None else "")


def _step_line(step: Step, side: int, sender: int, half: int, state: str) -> Line:
    tone = {"plain": "plain", "broken": "change", "after": "faint"}[state]
    arrow = "▶" if sender == 0 else "◀"
    mark, mark_tone = {"plain": ("━" + arrow, "proven"), "broken": ("╱╱", "change"), "after": ("┊ ", "faint")}[state]
    named = {"plain": "muted", "broken": "!change", "after": "faint"}[state]
    spine: Line = [(f" {mark} ", mark_tone), (left(step.what.value, SPINE - 4), named)]
    if side == 0:
        return [(right(cut(step.says, half), half), tone), *spine]
    return [(" " * half, "plain"), *spine, (cut(step.says, half), tone)]


def _verdict(flow: Flow, width: int, trying: bool) -> list[Line]:
    leg = flow.broken
    if leg is None:
        text, tone = f"{flow.whose} let it pass, and its answer too.", "proven"
        if not flow.test.expected:
            text, tone = f"It ought to be blocked. {flow.whose} let it pass.", "change"
        elif flow.test.seen and not flow.test.passed and not trying:
            text, tone = f"{flow.whose} let it pass; what stopped it is not in them.", "doubt"
    else:
        back = " on its way back" if flow.trip is not None and flow.trip.on_the_way_back else ""
        text, tone = f"It ends{back}: {leg.says or leg.fate.value}.", "change" if flow.test.expected else "proven"
    return paragraph(text, "!" + tone, width - 4, 2)


def step_detail(stop: Stop, picture: Picture, width: int) -> list[Line]:
    """Under the page: the decision under the cursor in full, and the packet as it is after it."""
    step, place = stop.step, stop.place
    if step is None or place is None:
        return []
    lines = [
        *paragraph(f"{place.title(picture)}, {step.what.value}: {step.says}", "strong", width - 4, 2),
        [("  the packet then  ", "muted"), (stop.packet, "source")],
    ]
    rule, route = stop.rule, stop.route
    said = (rule_text(rule) or rule.text) if rule is not None else ""
    if said:
        lines.append([("  the rule         ", "muted"), (cut(said, width - 22), "plain")])
    if rule is not None and rule.hits is not None:
        lines.append([("  its count        ", "muted"), (f"{rule.hits:,} packets", "plain")])
    if route is not None:
        lines.append([("  the route        ", "muted"), (cut(route.text or "own address", width - 22), "plain")])
    if stop.routing_rule is not None:
        led = f"{stop.routing_rule.label} ({stop.routing_rule.where})"
        lines.append([("  led there by     ", "muted"), (cut(led, width - 22), "plain")])
    if step.where is not None and step.where.file:
        lines.append([("  stands in        ", "muted"), (cut(str(step.where), width - 22), "source")])
    return lines


def broken_row(built: Built, flow: Flow | None) -> int:
    """The row of the step that decides the flow's fate, else its first step; -1 where none is drawn."""
    leg = flow.broken if flow is not None else None
    wanted = leg.steps[leg.decided][1] if leg is not None and leg.steps else None
    stops = [i for i, (_, s) in enumerate(built) if s is not None and s.step is not None]
    found = [i for i in stops if built[i][1] is not None and built[i][1].step is wanted]  # type: ignore[union-attr]
    return found[-1] if found else stops[0] if stops else -1


def copied(built: Built) -> str:
    """The packet's way as text."""
    return "\n".join("".join(text for text, _ in line).rstrip() for line, s in built if s is not None and s.row < 0)
