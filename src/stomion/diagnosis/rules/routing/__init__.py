"""Rules of the stage routing."""

from __future__ import annotations

from stomion.diagnosis.rules.routing import (
    forwarding_disabled,
    host_gateway_missing,
    link_subnet_mismatch,
    next_hop_own_address,
    peer_via_own_tunnel,
    return_route_missing,
    route_stolen,
    routing_neighbour_lost,
    sent_in_clear,
    tunnel_route_missing,
)
from stomion.diagnosis.spec import Rule

RULES: tuple[Rule, ...] = (
    peer_via_own_tunnel.RULE,
    link_subnet_mismatch.RULE,
    forwarding_disabled.RULE,
    tunnel_route_missing.RULE,
    route_stolen.RULE,
    return_route_missing.RULE,
    host_gateway_missing.RULE,
    next_hop_own_address.RULE,
    routing_neighbour_lost.RULE,
    sent_in_clear.RULE,
)
