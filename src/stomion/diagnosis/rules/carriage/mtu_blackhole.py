"""Large packets vanish on the way."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.measure.carriage import size_limit
from stomion.model.finding import PATH, Certainty, Finding, Remedy, Stage
from stomion.model.provenance import Provenance

SPEC = Spec(
    code="mtu-blackhole",
    stage=Stage.CARRIAGE,
    title="Large packets are lost",
    means="Small packets pass the tunnel and large ones vanish: a link on the way takes smaller packets than the ends believe, and nothing tells them. Ping works, transfers hang.",
    decided="The captures of both ends are compared by packet size: up to a size ESP arrives, above it none does.",
    example="ESP of up to 1,080 bytes passes between Quayhead and Marram; none of 1,320 bytes and more arrives.",
)


def judge(context: Context) -> Finding | None:
    if context.cause is not None and not context.cause.declared:
        return None
    picture = context.picture
    for seen in picture.esp_seen:
        limit = size_limit(seen.sent, seen.got) if seen.got is not None else None
        if limit is None:
            continue
        sender, receiver = picture.ends if seen.from_left else picture.ends[::-1]
        return SPEC.finding(
            [PATH],
            Certainty.PROVEN,
            f"ESP of up to {limit.passes:,} bytes passes from {sender.title} to {receiver.title}; none of the {limit.lost} packets of "
            f"{limit.lost_from:,} bytes and more arrives.",
            [
                Remedy(PATH, "repair the path, or let its ICMP messages about packet sizes pass"),
                Remedy(
                    sender.site,
                    f"until then lower the tunnel's MTU below {limit.lost_from:,} bytes of ESP, and clamp TCP's segment size",
                ),
            ],
            [Provenance(f, sender.site) for f in seen.files],
            {
                "passes": limit.passes,
                "lost_from": limit.lost_from,
                "lost": limit.lost,
                "direction": f"{sender.site}-to-{receiver.site}",
            },
        )
    return None


RULE = Rule(SPEC, judge)
