"""Cord Tally."""
