"""The stand-in network: gateways that build, send and parse real IKE messages in virtual time, with faults to inject.

Nothing here opens a socket: datagrams travel through a queue, and captures and logs are what the gateways see and say.
"""
