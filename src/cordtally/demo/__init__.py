"""The demo: the whole job, step by step, on made-up data from Greywick Harbour."""

from .tour import STEPS, Step, Tour, furnish

__all__ = ["STEPS", "Step", "Tour", "furnish"]
