"""A link beneath the tunnel is down and stays down."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage

SPEC = Spec(
    code="link-down",
    stage=Stage.UNDERLAY,
    title="A link is down",
    means="The interface or line that the tunnel runs over went down and did not come up again; nothing above it can work.",
    decided="The last record about a link of an end says that it went down, and no log tells of a Child SA that came up after it.",
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
        if end is None:
            continue
        name = f" {event.subject}" if event.subject else ""
        return SPEC.finding(
            [end.site],
            Certainty.PROVEN,
            f"{end.title}'s link{name} went down and has not come back.",
            [Remedy(end.site, "bring the link up again; the tunnel can't do without it")],
            [event.where],
            {"link": event.subject},
        )
    return None


def _carried_on(context: Context, since: float | None) -> bool:
    """Did the tunnel come up, or traffic pass, after the link went down?"""
    ups = [e.story.child_up.at for e in context.picture.ends if e.story.child_up]
    passed = [t.at for t in context.picture.tests if t.passed]
    return since is not None and any(at is not None and at > since for at in (*ups, *passed))


RULE = Rule(SPEC, judge)
