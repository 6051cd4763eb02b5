"""What an end's own tables do to its traffic, as the line its page shows for translation, routing and filter."""

from __future__ import annotations

from typing import NamedTuple

from stomion.model.finding import Stage, Verdict
from stomion.model.provenance import Provenance
from stomion.tunnel.flows import flows_of
from stomion.tunnel.picture import End, Picture
from stomion.walk.journey import NEAR, Share
from stomion.walk.passage import Decision, Fate, Step


class Line(NamedTuple):
    """One end's verdict of a stage, the words for it (None where nothing was seen), and their proof."""

    verdict: Verdict
    text: str | None = None
    where: Provenance | None = None


def table_line(picture: Picture, end: End, stage: Stage) -> Line | None:
    """None where the tables of this end are not known, or say nothing of the two LANs."""
    flows = flows_of(picture)
    if flows is None or end.tables is None:
        return None
    out, back = flows.shares if end is picture.left else flows.shares[::-1]
    if not out:
        return None
    if stage is Stage.NAT:
        return _translation(out)
    if stage is Stage.ROUTING:
        return _routing(out)
    return _filter(out, back)


def _carried(shares: tuple[Share, ...]) -> Share | None:
    return next((s for s in shares if s.fate is Fate.CARRIED), None)


def _step(share: Share, what: Decision, side: int = NEAR) -> Step | None:
    return next((s for at, s in reversed(share.sample.steps) if at == side and s.what is what), None)


def _translation(shares: tuple[Share, ...]) -> Line:
    bad = next((s for s in shares if s.fate is Fate.TRANSLATED), None)
    if bad is not None:
        step = _step(bad, Decision.TRANSLATION)
        return Line(Verdict.CAUTION, step.says if step else "translated", step.where if step else None)
    shown = _carried(shares) or next((s for s in shares if _step(s, Decision.TRANSLATION)), None)
    if shown is None:
        return Line(Verdict.UNSEEN, "", None)
    step = _step(shown, Decision.TRANSLATION)
    return Line(Verdict.PASS, step.says if step else "nothing translates it", step.where if step else None)


def _routing(shares: tuple[Share, ...]) -> Line:
    bad = next((s for s in shares if s.fate in (Fate.LOST, Fate.LEAKED, Fate.LOOPING) and s.at == NEAR), None)
    carried = _carried(shares)
    if bad is not None:
        step = _step(bad, Decision.ROUTE)
        return Line(Verdict.CAUTION, bad.says, step.where if step else None)
    if carried is None:
        return Line(Verdict.UNSEEN, "", None)
    step = _step(carried, Decision.ROUTE)
    return Line(Verdict.PASS, step.says if step else "finds the tunnel", step.where if step else None)


def _filter(out: tuple[Share, ...], back: tuple[Share, ...]) -> Line:
    """Drops count where they happen: at this end of either direction."""
    here = [s for s in out if s.at == NEAR and s.fate is Fate.DROPPED] + [
        s for s in back if s.at != NEAR and s.fate is Fate.DROPPED
    ]
    if _carried(out) is None and _carried(back) is None:
        return Line(Verdict.UNSEEN, "", None)
    if not here:
        return Line(Verdict.PASS, "lets everything between the LANs pass", None)
    rule = here[0].rule
    where = rule.where if rule is not None else None
    more = f", and {len(here) - 1} more" if len(here) > 1 else ""
    return Line(Verdict.PASS, f"lets a part pass; {here[0].says}{more}", where)
