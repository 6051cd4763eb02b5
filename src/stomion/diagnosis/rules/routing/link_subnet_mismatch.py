"""The two ends of a tunnel link are not in one subnet."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec, sheet_places
from stomion.model.box import Interval
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.space.axis import addresses_text
from stomion.tunnel.picture import End

SPEC = Spec(
    code="link-subnet-mismatch",
    stage=Stage.ROUTING,
    title="The tunnel link has two subnets",
    means="A tunnel by routes has an address at either end of its link; they must share the link's subnet, or the ends do not find each other across it.",
    decided="The networks of both ends' tunnel interfaces, from the sheets.",
    example="Quayhead has 169.254.77.0/30 on the link, Marram 169.254.77.4/30.",
)


def judge(context: Context) -> Finding | None:
    left, right = context.picture.ends
    nets = [_link(e) for e in (left, right)]
    if nets[0] is None or nets[1] is None or nets[0] == nets[1]:
        return None
    texts = [" ".join(addresses_text(n)) for n in nets if n is not None]
    return SPEC.finding(
        [left.site, right.site],
        Certainty.PROVEN,
        f"{left.title} has {texts[0]} on the tunnel link, {right.title} {texts[1]}.",
        [Remedy(e.site, "give both ends of the link addresses of one subnet") for e in (left, right)],
        sheet_places(context),
    )


def _link(end: End) -> Interval | None:
    """The network of the tunnel's own interface; None where it has none."""
    if end.sheet is None or end.sheet.style != "route" or not end.sheet.interface or end.tables is None:
        return None
    found = end.tables.addresses.get(end.sheet.interface)
    return found[0][1] if found else None


RULE = Rule(SPEC, judge)
