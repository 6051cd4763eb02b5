"""A link beneath the tunnel is down and stays down."""

from __future__ import annotations

from dataclasses import replace

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.space.axis import address_number
from stomion.tunnel.failover import pair_of, switches_of
from stomion.tunnel.picture import End

SPEC = Spec(
    code="link-down",
    stage=Stage.UNDERLAY,
    title="A link is down",
    means="The interface or line that the tunnel runs over went down and did not come up again; nothing above it can work.",
    decided="The last record about a link of an end says that it went down, and no log tells of a Child SA that came up after it. Where a standby "
    "took the traffic over, it is a caution: the tunnel's work goes on.",
    example="Eelgrass's link wan0 went down and has not come back.",
    explains=frozenset(
        {"peer-gone", "peer-silent", "ike-lost-in-path", "peer-not-listening", "no-route-to-peer", "link-flapping"}
    ),
)


def judge(context: Context) -> Finding | None:
    picture = context.picture
    last = {(e.site, e.subject): e for e in picture.link_events}
    for event in last.values():
        if event.up or _carried_on(context, event.at):
            continue
        end = next((e for e in picture.ends if e.site == event.site), None)
        if end is None or _of_another_line(end, event.subject):
            continue
        name = f" {event.subject}" if event.subject else ""
        mate = _cover(context, end)
        finding = SPEC.finding(
            [end.site],
            Certainty.PROVEN,
            f"{end.title}'s link{name} went down and has not come back." + (f" {mate} carries since." if mate else ""),
            [
                Remedy(
                    end.site,
                    "bring the link up again; "
                    + ("until then nothing stands behind the standby" if mate else "the tunnel can't do without it"),
                )
            ],
            [event.where],
            {"link": event.subject},
        )
        return replace(finding, caution=bool(mate))
    return None


def _of_another_line(end: End, dev: str) -> bool:
    """Does a tunnel run over another of its gateway's interfaces, by their addresses?"""
    tables, local = end.tables, end.sheet.local if end.sheet is not None else ""
    if tables is None or not local or dev not in tables.addresses:
        return False
    try:
        number = address_number(local)
    except ValueError:
        return False
    holder = next((d for d, rows in tables.addresses.items() if any(own == number for own, _ in rows)), "")
    return holder not in ("", dev)


def _cover(context: Context, end: End) -> str:
    """The name of the standby that took over when this primary was lost; empty where none did."""
    pair = pair_of(context.picture)
    if pair is None:
        return ""
    last = next(reversed(list(switches_of(*pair))), None)
    took = last is not None and last.site == end.site and last.moved is not None and last.carried and last.back is None
    return pair[1].name if took else ""


def _carried_on(context: Context, since: float | None) -> bool:
    """Did the tunnel come up, or traffic pass, after the link went down?"""
    ups = [e.story.child_up.at for e in context.picture.ends if e.story.child_up]
    passed = [t.at for t in context.picture.tests if t.passed]
    return since is not None and any(at is not None and at > since for at in (*ups, *passed))


RULE = Rule(SPEC, judge)
