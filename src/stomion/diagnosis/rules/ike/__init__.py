"""Rules of the stage ike."""

from __future__ import annotations

from stomion.diagnosis.rules.ike import (
    aggressive_mode_with_key,
    auth_method_mismatch,
    authentication_failed,
    certificate_rejected,
    deleted_by_peer,
    identities_not_mirrored,
    identity_mismatch,
    ike_lifetime_differs,
    ike_mode_mismatch,
    ike_not_initiated,
    ike_proposal_mismatch,
    ike_version_mismatch,
    key_mismatch,
    no_matching_peer,
    peer_detection_one_end,
    sheet_not_in_force,
    weak_algorithm,
)
from stomion.diagnosis.spec import Rule

RULES: tuple[Rule, ...] = (
    ike_not_initiated.RULE,
    ike_version_mismatch.RULE,
    ike_mode_mismatch.RULE,
    no_matching_peer.RULE,
    ike_proposal_mismatch.RULE,
    identity_mismatch.RULE,
    identities_not_mirrored.RULE,
    key_mismatch.RULE,
    auth_method_mismatch.RULE,
    certificate_rejected.RULE,
    authentication_failed.RULE,
    deleted_by_peer.RULE,
    sheet_not_in_force.RULE,
    ike_lifetime_differs.RULE,
    aggressive_mode_with_key.RULE,
    peer_detection_one_end.RULE,
    weak_algorithm.RULE,
)
