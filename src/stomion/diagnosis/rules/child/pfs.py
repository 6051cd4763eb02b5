"""Is a refused child a matter of the PFS group? The first child of IKEv2 is built without it (RFC 7296 1.2)."""

from __future__ import annotations

from stomion.crypto.proposals import disagreements
from stomion.diagnosis.offers import child_offers
from stomion.diagnosis.spec import Context
from stomion.model.event import What


def pfs_groups(context: Context) -> tuple[tuple[str, ...], tuple[str, ...]] | None:
    """(the asker's groups, the refuser's), either empty where unknown; None where PFS is not the reason."""
    cause = context.cause
    if cause is None or cause.what not in (What.CHILD_PROPOSAL_REFUSED, What.PFS_REFUSED):
        return None
    offers = child_offers(context)
    groups = offers.all_offered("group"), offers.all_accepted("group")
    if cause.what is What.PFS_REFUSED:
        return groups
    if offers.miss is not None:
        return groups if offers.differs == ("group",) else None
    if offers.offered and offers.accepted:
        same = not any(disagreements(a, b) for a in offers.offered for b in offers.accepted)
        if same and bool(groups[0]) != bool(groups[1]):
            return groups
    later = cause.refusal is not None and cause.refusal.child_was_up
    return groups if later else None
