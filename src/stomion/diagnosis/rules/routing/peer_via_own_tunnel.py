"""The way to the peer leads into its own tunnel."""

from __future__ import annotations

from stomion.algebra.boxes import address_number
from stomion.diagnosis.spec import Context, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.walk.routing import longest

SPEC = Spec(
    code="peer-via-own-tunnel",
    stage=Stage.ROUTING,
    title="The peer is routed into its own tunnel",
    means="The route to the peer's public address leads into the tunnel that needs this very address: the tunnel falls as soon as it is up.",
    decided="The gateway's routes are gone through for the peer's public address; the winning one leaves by a tunnel interface.",
    example="Quayhead's route to 198.51.100.34 leads into the tunnel to it.",
)


def judge(context: Context) -> Finding | None:
    for end in context.picture.ends:
        other = context.picture.other(end)
        tables = end.tables
        if tables is None or not tables.tunnel_devs or not other.address:
            continue
        try:
            way = longest(tables, address_number(other.address))
        except ValueError:
            continue
        if way.dev not in tables.tunnel_devs:
            continue
        return SPEC.finding(
            [end.site],
            Certainty.PROVEN,
            f"{end.title}'s route to {other.address} leads into the tunnel to it ({way.dev}).",
            [Remedy(end.site, f"add a route to {other.address} by way of the next hop outside")],
            [way.where],
            {"dev": way.dev},
        )
    return None
