"""Rules of the stage carriage."""

from __future__ import annotations

from stomion.diagnosis.rules.carriage import esp_lost_in_path, mtu_blackhole
from stomion.diagnosis.spec import Rule

RULES: tuple[Rule, ...] = (
    esp_lost_in_path.RULE,
    mtu_blackhole.RULE,
)
