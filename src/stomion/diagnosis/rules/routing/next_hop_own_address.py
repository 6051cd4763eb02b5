"""A route's next hop is the gateway's own address."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.model.tables import Tables
from stomion.space.axis import address_number

SPEC = Spec(
    code="next-hop-own-address",
    stage=Stage.ROUTING,
    title="A route leads to the gateway itself",
    means="The next hop of a route is the gateway's own address on that link: it should be the other end's. On a point-to-point link some "
    "gateways do not mind.",
    decided="Arithmetic on a gateway's interfaces and routes.",
    example="Quayhead's route to 10.66.0.0/21 goes via 169.254.77.1, its own address on the link.",
    caution=True,
)


def judge(context: Context) -> Finding | None:
    for end in context.picture.ends:
        tables = end.tables
        for route in tables.routes if tables is not None else ():
            if tables is None or not _is_own(tables, route.via):
                continue
            dev = f" on {route.dev}" if route.dev else ""
            return SPEC.finding(
                [end.site],
                Certainty.PROVEN,
                f"{end.title}'s route to {route.text.split(' ')[0].rstrip(',') or 'its target'} goes via {route.via}, its own address{dev}.",
                [Remedy(end.site, f"name the other end's address on the link instead of {route.via}")],
                [route.where],
                {"via": route.via},
            )
    return None


def _is_own(tables: Tables, via: str) -> bool:
    """Is a next hop one of the gateway's own addresses? A sheet may name it by a host's name."""
    try:
        return bool(via) and tables.is_own(address_number(via))
    except ValueError:
        return False


RULE = Rule(SPEC, judge)
