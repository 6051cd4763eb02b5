"""The peer takes the SA down, and it stays down."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.event import Event
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.attempts import failing, passing
from stomion.tunnel.beside import covered
from stomion.tunnel.picture import End, Picture

SPEC = Spec(
    code="deleted-by-peer",
    stage=Stage.IKE,
    title="The peer deletes the SA",
    means='The SA came up, the peer deleted it, and nothing came up after it. Where that is straight away, it rejected something without reporting it: "established" was not final. Later it may have been closed on purpose.',
    decided="An end's log tells of an SA that came up and of its deletion by the peer, within seconds or with tests that fail after it, and of nothing that stays up since; no refusal is named at either end, and no other tunnel joins the same LANs meanwhile.",
    example="Marram deletes the SA right after it came up.",
    explains=frozenset({"test-fails-unexplained", "ike-not-initiated"}),
)

AT_ONCE = 10.0
"""Seconds between an SA's coming up and its deletion within which the peer has not simply been shut down later."""


def judge(context: Context) -> Finding | None:
    picture = context.picture
    if context.cause is not None and not context.cause.declared:
        return None
    if picture.link_events or passing(picture) or covered(picture):
        return None
    for end in picture.ends:
        if not (_is_down(end) and end.story.deleted):
            continue
        deleted = [(up, gone) for up, gone in end.story.deleted if up.at is not None and gone.at is not None]
        quick = [(up, gone) for up, gone in deleted if (gone.at or 0) - (up.at or 0) <= AT_ONCE]
        up, gone = (quick or end.story.deleted)[-1]
        if quick:
            times = f", {len(quick)} times" if len(quick) > 1 else ""
            return _finding(picture.other(end), up, gone, f"deletes the SA right after it came up{times}.", len(quick))
        if _missed(picture, gone):
            return _finding(
                picture.other(end), up, gone, "deleted the SA; nothing came up after it, and tests fail since.", 1
            )
    return None


def _is_down(end: End) -> bool:
    """Did nothing of an end come up or come back after the delete?"""
    story = end.story
    return not (story.child_up or story.ike_up or story.rekeyed or story.lost or story.outages)


def _missed(picture: Picture, gone: Event) -> bool:
    """Does somebody want what was carried? A tunnel that nobody needs may be closed."""
    return gone.at is not None and any(a.at is not None and a.at > gone.at for a in failing(picture))


def _finding(other: End, up: Event, gone: Event, what: str, times: int) -> Finding:
    remedy = "look in its log at that moment: identity, certificate, selectors or a policy of its own; or somebody closed it on purpose: start it again"
    return SPEC.finding(
        [other.site],
        Certainty.LIKELY,
        f"{other.title} {what}",
        [Remedy(other.site, remedy)],
        [gone.where, up.where],
        {"times": times},
    )


RULE = Rule(SPEC, judge)
