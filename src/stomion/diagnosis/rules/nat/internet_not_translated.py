"""Flows to the internet leave untranslated."""

from __future__ import annotations

from dataclasses import replace

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.model.tables import Rule as TableRule
from stomion.space.axis import address_text
from stomion.space.ranges import PRIVATE, spans
from stomion.tunnel.lans import lans_of, meets
from stomion.tunnel.picture import End, LanTest
from stomion.walk.gateway import outbound
from stomion.walk.journey import packet_box
from stomion.walk.passage import Decision, Fate
from stomion.walk.pieces import Piece

SPEC = Spec(
    code="internet-not-translated",
    stage=Stage.NAT,
    title="Flows to the internet are not translated",
    means="The exemption is so wide that packets to the internet leave with their private source address, and no answer finds its way back. "
    "The tunnel itself may work.",
    decided="A test or an expected flow from a LAN to a public address is walked through the end's tables and leaves with a private source, "
    "while a rule below or beside would translate. A fault where such a test fails.",
    example="Quayhead exempts everything from translation: 10.96.0.9 to 192.0.2.80 leaves as it is.",
    caution=True,
)


def judge(context: Context) -> Finding | None:
    picture = context.picture
    for test in picture.internet:
        end = picture.left if test.from_left else picture.right
        rule = _left_alone(end, picture.other(end), test)
        if rule is None:
            continue
        failed = test.seen and not test.passed
        found = SPEC.finding(
            [end.site],
            Certainty.PROVEN,
            f"{end.title} exempts flows to the internet from translation as well ({rule.label}): {test.who} to {test.to} leaves with its private source.",
            [Remedy(end.site, f"let {rule.label} exempt only what goes to the far LAN")],
            [rule.where, test.where],
            {"rule": rule.label, "target": test.to},
        )
        return replace(found, caution=not failed)
    return None


def _left_alone(end: End, other: End, test: LanTest) -> TableRule | None:
    """The exemption that a packet to the internet meets, where it leaves with a private source."""
    tables = end.tables
    sources = spans(lans_of(end, other))
    if tables is None or not sources:
        return None
    source = test.source or address_text(sources[0][0] + 1)
    try:
        piece = Piece(packet_box(source, test.to, test.service or "icmp"))
    except ValueError:
        return None
    (passage, *_) = outbound(tables, [piece], tables.dev_of(piece.now[0][0]))
    if passage.fate is not Fate.LEAKED or not meets(address_text(passage.piece.now[0][0]), PRIVATE):
        return None
    return next((s.rule for s in passage.steps if s.what is Decision.TRANSLATION and s.rule is not None), None)


RULE = Rule(SPEC, judge)
