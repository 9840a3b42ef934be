"""The window. Views follow the workshop's project; no widget holds truth."""
