"""The same addresses are in use behind both ends."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec, listed, sheet_places
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.space.ranges import common, is_any, spans, written
from stomion.tunnel.lans import behind
from stomion.tunnel.picture import End

SPEC = Spec(
    code="subnets-overlap",
    stage=Stage.SELECTORS,
    title="The same addresses behind both ends",
    means="A host can't tell whether an address is on its own LAN or on the far one, so traffic never leaves for the tunnel.",
    decided="Both ends' sheets name the same local range, or the LANs seen at both ends share addresses. A wide selector that "
    "merely contains the other end's LAN is no overlap, and neither is any-to-any.",
    example="10.66.0.0/24 is in use behind Quayhead and behind Marram.",
    explains=frozenset({"peer-inside-selectors"}),
)


def judge(context: Context) -> Finding | None:
    if context.cause is not None and not context.cause.declared:
        return None
    left, right = context.picture.ends
    shared = written(common(_lans(left), _lans(right)))
    if not shared:
        mine, theirs = (set(spans(_declared(e))) for e in (left, right))
        shared = written(s for s in sorted(mine & theirs) if not is_any(s))
    if not shared:
        shared = _same_at_both(left) or _same_at_both(right)
    if not shared:
        return None
    seen = tuple(u.where for e in (left, right) if (u := e.story.child_ever) is not None)
    sheets = sheet_places(context)
    return Finding(
        code=SPEC.code,
        stage=SPEC.stage,
        sides=(left.site, right.site),
        certainty=Certainty.PROVEN,
        summary=f"{listed(shared, 'and')} is in use behind {left.title} and behind {right.title}.",
        remedies=(
            Remedy(left.site, "give one of the two LANs other addresses"),
            Remedy(right.site, "or translate one LAN to an unused range, one to one, before the tunnel"),
        ),
        evidence=seen or sheets,
        facts={"shared": list(shared)},
    )


def _same_at_both(end: End) -> tuple[str, ...]:
    """A child whose two ranges are one and the same, as its log names them."""
    up = end.story.child_ever
    if up is None or len(up.my_ts) != 2 or up.my_ts[0] != up.my_ts[1]:
        return ()
    return written(s for s in spans(up.my_ts[:1]) if not is_any(s))


def _declared(end: End) -> tuple[str, ...]:
    return end.sheet.local_ts if end.sheet else ()


def _lans(end: End) -> list[str]:
    """Networks at this end that its selectors protect, without its WAN side."""
    protected = _declared(end)
    return [n for n in behind(end) if not protected or common([n], protected)]


RULE = Rule(SPEC, judge)
