"""The case: all evidence as read, the sites, and the tunnels worked out from it."""
