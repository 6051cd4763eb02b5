"""Two site sheets that agree in everything, for tests that change one value of them."""

from __future__ import annotations

A, B = "192.0.2.10", "198.51.100.34"
SHEET = """
site = "{site}"
[[tunnel]]
name = "t"
peer_site = "{peer_site}"
local = "{local}"
peer = "{peer}"
ike = {ike}
initiate = "{initiate}"
encapsulation = "{encapsulation}"
mode = "{mode}"
auth = "{auth}"
local_id = "{local_id}"
remote_id = "{remote_id}"
local_ts = ["{local_ts}"]
remote_ts = ["{remote_ts}"]
[[tunnel.ike_proposal]]
encryption = ["{cipher}"]
integrity = ["sha256"]
group = [{group}]
lifetime_s = {ike_lifetime}
[[tunnel.esp_proposal]]
encryption = ["{esp}"]
integrity = ["hmac-sha2-256"]
group = [{pfs}]
lifetime_s = {lifetime}
"""
LEFT = {
    "site": "quayhead", "peer_site": "marram", "local": A, "peer": B, "ike": 2, "mode": "", "auth": "psk", "local_id": "q.example",
    "remote_id": "m.example", "local_ts": "10.96.0.0/20", "remote_ts": "10.66.0.0/21", "cipher": "aes256", "group": 14,
    "esp": "AES_CBC 256", "pfs": 14, "lifetime": 3600, "ike_lifetime": 28800, "initiate": "always", "encapsulation": "",
}  # fmt: skip
RIGHT = LEFT | {
    "site": "marram",
    "peer_site": "quayhead",
    "local": B,
    "peer": A,
    "local_id": "m.example",
    "remote_id": "q.example",
    "local_ts": "10.66.0.0/21",
    "remote_ts": "10.96.0.0/20",
    "cipher": "AES-CBC-256",
    "esp": "aes-256-cbc",
}
