"""Bytes to records and back, without sockets or files."""
