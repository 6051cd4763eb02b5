"""Keys of an IKE SA that the user gives in a file; a record that never shows them."""

from __future__ import annotations

import msgspec


class IkeKeys(msgspec.Struct, frozen=True, tag_field="kind", tag="ike-keys"):
    """Keys of one IKE SA as in a key file; all values hexadecimal. Its representation shows only the SPIs."""

    ike: int
    spi_i: str
    spi_r: str
    encryption: str
    integrity: str = ""
    hash: str = ""
    sk_ei: str = ""
    sk_er: str = ""
    sk_ai: str = ""
    sk_ar: str = ""
    key: str = ""

    def __repr__(self) -> str:
        return f"IkeKeys(version {self.ike}, {self.spi_i} {self.spi_r})"

    __str__ = __repr__
