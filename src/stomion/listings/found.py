"""What was found of one record: its values by what they are, and the addresses and names that tell whose it is."""

from __future__ import annotations

from dataclasses import dataclass, field

from stomion.model.provenance import Provenance


@dataclass(slots=True)
class Found:
    """`way` is the direction that the whole record is of, where it is of one alone."""

    values: dict[str, object] = field(default_factory=dict)
    peers: list[str] = field(default_factory=list)
    own: list[str] = field(default_factory=list)
    loose: list[str] = field(default_factory=list)
    spis: list[str] = field(default_factory=list)
    name: str = ""
    way: str = ""
    where: Provenance = field(default_factory=lambda: Provenance("", None))

    def put(self, key: str, value: object) -> None:
        if value not in (None, "") and key not in self.values:
            self.values[key] = value
