"""Rules of the stage nat."""

from __future__ import annotations

from stomion.diagnosis.rules.nat import (
    exemption_missing,
    exemption_partial,
    exemption_shadowed,
    internet_not_translated,
)
from stomion.diagnosis.spec import Rule

RULES: tuple[Rule, ...] = (
    exemption_missing.RULE,
    exemption_shadowed.RULE,
    exemption_partial.RULE,
    internet_not_translated.RULE,
)
