"""All rules, in the order of the stages they judge. A rule is added here and nowhere else."""

from __future__ import annotations

from collections.abc import Callable
from types import ModuleType

from stomion.diagnosis.rules.carriage import esp_lost_in_path, mtu_blackhole
from stomion.diagnosis.rules.child import (
    child_lifetime_differs,
    encapsulation_mismatch,
    esp_proposal_mismatch,
    no_pfs,
    pfs_mismatch,
    sa_install_failed,
)
from stomion.diagnosis.rules.filter import (
    allow_shadowed,
    block_without_effect,
    count_unmoved,
    filter_blocks,
    host_filter_blocks,
    service_not_allowed,
    wrong_action,
)
from stomion.diagnosis.rules.ike import (
    auth_method_mismatch,
    authentication_failed,
    certificate_rejected,
    deleted_by_peer,
    identity_mismatch,
    ike_lifetime_differs,
    ike_mode_mismatch,
    ike_not_initiated,
    ike_proposal_mismatch,
    ike_version_mismatch,
    key_mismatch,
    no_matching_peer,
    sheet_not_in_force,
    weak_algorithm,
)
from stomion.diagnosis.rules.nat import exemption_missing, exemption_partial, exemption_shadowed
from stomion.diagnosis.rules.routing import (
    forwarding_disabled,
    host_gateway_missing,
    link_subnet_mismatch,
    peer_via_own_tunnel,
    return_route_missing,
    route_stolen,
    sent_in_clear,
    tunnel_route_missing,
)
from stomion.diagnosis.rules.selectors import (
    child_missing_at_peer,
    peer_inside_selectors,
    selectors_narrowed,
    selectors_not_mirrored,
    selectors_unacceptable,
    subnets_overlap,
)
from stomion.diagnosis.rules.traffic import unexpected_pass, wrong_target
from stomion.diagnosis.rules.underlay import (
    ike_blocked_at_gateway,
    ike_lost_in_path,
    large_ike_lost,
    link_down,
    link_flapping,
    nat_traversal_port_lost,
    no_route_to_peer,
    packet_loss,
    path_outage,
    peer_address_wrong,
    peer_gone,
    peer_not_listening,
    peer_silent,
)
from stomion.diagnosis.spec import Context, Spec
from stomion.model.finding import Finding

Judge = Callable[[Context], Finding | None]

_MODULES: tuple[ModuleType, ...] = (
    link_down,
    link_flapping,
    no_route_to_peer,
    peer_address_wrong,
    ike_blocked_at_gateway,
    peer_not_listening,
    large_ike_lost,
    nat_traversal_port_lost,
    ike_lost_in_path,
    peer_silent,
    peer_gone,
    packet_loss,
    path_outage,
    ike_not_initiated,
    ike_version_mismatch,
    ike_mode_mismatch,
    no_matching_peer,
    ike_proposal_mismatch,
    identity_mismatch,
    key_mismatch,
    auth_method_mismatch,
    certificate_rejected,
    authentication_failed,
    deleted_by_peer,
    sheet_not_in_force,
    ike_lifetime_differs,
    weak_algorithm,
    pfs_mismatch,
    encapsulation_mismatch,
    esp_proposal_mismatch,
    sa_install_failed,
    child_lifetime_differs,
    no_pfs,
    selectors_unacceptable,
    selectors_narrowed,
    selectors_not_mirrored,
    subnets_overlap,
    peer_inside_selectors,
    child_missing_at_peer,
    exemption_missing,
    exemption_shadowed,
    exemption_partial,
    peer_via_own_tunnel,
    link_subnet_mismatch,
    forwarding_disabled,
    tunnel_route_missing,
    route_stolen,
    return_route_missing,
    host_gateway_missing,
    sent_in_clear,
    allow_shadowed,
    wrong_action,
    block_without_effect,
    service_not_allowed,
    filter_blocks,
    host_filter_blocks,
    count_unmoved,
    esp_lost_in_path,
    mtu_blackhole,
    unexpected_pass,
    wrong_target,
)


def rules() -> list[tuple[Spec, Judge]]:
    """Every rule as (its catalogue entry, its function)."""
    return [(module.SPEC, module.judge) for module in _MODULES]
