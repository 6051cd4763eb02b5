"""Where the demo's sites are: public addresses, LANs, names (documentation addresses, all made up)."""

from __future__ import annotations

DOMAIN = "lanternreef.example"
ADDRESSES = {
    "quayhead": "192.0.2.10",
    "farlight": "198.51.100.20",
    "saltern": "203.0.113.10",
    "marram": "198.51.100.34",
    "driftwood": "203.0.113.77",
    "brackish-freight": "198.51.100.200",
    "eelgrass": "198.51.100.66",
    "gannet": "203.0.113.140",
    "whelk": "198.51.100.130",
    "samphire": "203.0.113.180",
    "petrel": "203.0.113.204",
}
PETREL_LTE = "198.51.100.146"
"""Petrel's second line."""
WANS = {
    "quayhead": "192.0.2.10/24",
    "farlight": "198.51.100.20/28",
    "marram": "198.51.100.34/28",
    "driftwood": "203.0.113.77/28",
    "eelgrass": "198.51.100.66/28",
    "gannet": "203.0.113.140/28",
    "whelk": "198.51.100.130/28",
    "samphire": "203.0.113.180/28",
    "petrel": "203.0.113.204/28",
}
LANS = {
    "quayhead": "10.96.0.0/20",
    "farlight": "10.98.0.0/20",
    "saltern": "10.64.0.0/21",
    "marram": "10.66.0.0/21",
    "driftwood": "10.68.0.0/22",
    "brackish-freight": "10.72.16.0/22",
    "eelgrass": "10.70.0.0/22",
    "gannet": "10.74.0.0/23",
    "whelk": "10.76.0.0/24",
    "samphire": "10.78.0.0/24",
    "petrel": "10.77.0.0/24",
}
