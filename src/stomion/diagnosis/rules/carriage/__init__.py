"""Rules of the stage carriage."""

from __future__ import annotations

from stomion.diagnosis.rules.carriage import (
    counters_stale,
    esp_lost_in_path,
    integrity_failures,
    mtu_blackhole,
    one_way_return,
    replay_drops,
    sa_at_one_end,
)
from stomion.diagnosis.spec import Rule

RULES: tuple[Rule, ...] = (
    esp_lost_in_path.RULE,
    sa_at_one_end.RULE,
    one_way_return.RULE,
    integrity_failures.RULE,
    replay_drops.RULE,
    mtu_blackhole.RULE,
    counters_stale.RULE,
)
