"""A test went to an address that no tunnel takes."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec, listed
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.lans import lans_of

SPEC = Spec(
    code="target-outside-selectors",
    stage=Stage.TRAFFIC,
    title="The target is in no tunnel's range",
    means="A test that fails went to a private address which no tunnel of its site takes: it never had a tunnel to go through.",
    decided="The target is in no range behind the far end of any tunnel of the site, nor in the site's own LAN.",
    example="10.67.0.2 is in no range of Quayhead's tunnels.",
    caution=True,
)


def judge(context: Context) -> Finding | None:
    picture = context.picture
    lost = [t for t in picture.outside if not t.passed and t.expected]
    if not lost:
        return None
    first = lost[0]
    end = picture.left if first.from_left else picture.right
    other = picture.other(end)
    ranges = listed(sorted(lans_of(other, end)), "and") or "none that is known"
    return SPEC.finding(
        [end.site],
        Certainty.LIKELY,
        f"{first.to}, which {first.who} asked, is in no range of {end.title}'s tunnels: it had no tunnel to go through.",
        [
            Remedy(
                end.site,
                f"ask an address behind {other.title} ({ranges}), or add the range to the selectors of both ends",
            )
        ],
        [t.where for t in lost],
        {"target": first.to},
    )


RULE = Rule(SPEC, judge)
