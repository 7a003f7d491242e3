"""Simulates pools: a fast plain queue, and every behaviour event by event."""
