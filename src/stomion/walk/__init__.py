"""The walk of packets through translation, routing, filter and tunnel decision of both gateways: sets of packets, so that one
packet and all of them take the same code."""
