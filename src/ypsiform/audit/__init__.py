"""The audit: what the written file says, compared fact by fact with what was read."""
