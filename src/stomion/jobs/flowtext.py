"""A flow as people type it: `10.64.0.9 > 10.96.0.10 tcp/80`."""

from __future__ import annotations

from stomion.model.provenance import Provenance
from stomion.space.axis import address_number
from stomion.space.services import service_of
from stomion.tunnel.flows import flows_of
from stomion.tunnel.picture import LanTest, Picture


def parse_flow(text: str, picture: Picture) -> LanTest | str:
    """The flow as one to be walked, or what is wrong with it."""
    words = text.replace(">", " ").split()
    if len(words) not in (2, 3):
        return "a flow is: SOURCE > DESTINATION SERVICE, as 10.64.0.9 > 10.96.0.10 tcp/80"
    source, to = words[:2]
    service = words[2] if len(words) == 3 else "icmp"
    for address in (source, to):
        try:
            address_number(address)
        except ValueError:
            return f"{address} is no address"
    try:
        service_of(service)
    except ValueError:
        return f"{service} is no service; one like tcp/80, udp/53 or icmp expected"
    number = address_number(source)
    flows = flows_of(picture)
    for side, from_left in zip(flows.sides if flows is not None else (), (True, False), strict=False):
        if any(low <= number <= high for low, high in side.lans):
            return LanTest(from_left, False, True, None, Provenance("", None), service, source, to, source, seen=False)
    return f"{source} is behind neither {picture.left.title} nor {picture.right.title}"
