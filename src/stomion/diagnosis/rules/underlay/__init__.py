"""Rules of the stage underlay."""

from __future__ import annotations

from stomion.diagnosis.rules.underlay import (
    baseline_fails,
    ike_blocked_at_gateway,
    ike_lost_in_path,
    large_ike_lost,
    link_down,
    link_flapping,
    nat_traversal_port_lost,
    next_hop_off_link,
    no_public_end,
    no_route_to_peer,
    packet_loss,
    path_outage,
    peer_address_wrong,
    peer_gone,
    peer_host_unreachable,
    peer_not_listening,
    peer_silent,
)
from stomion.diagnosis.spec import Rule

RULES: tuple[Rule, ...] = (
    link_down.RULE,
    link_flapping.RULE,
    no_route_to_peer.RULE,
    next_hop_off_link.RULE,
    baseline_fails.RULE,
    peer_address_wrong.RULE,
    ike_blocked_at_gateway.RULE,
    peer_not_listening.RULE,
    peer_host_unreachable.RULE,
    large_ike_lost.RULE,
    nat_traversal_port_lost.RULE,
    ike_lost_in_path.RULE,
    peer_silent.RULE,
    peer_gone.RULE,
    packet_loss.RULE,
    path_outage.RULE,
    no_public_end.RULE,
)
