"""Tide tables and berth clearances for the day, for the harbour office of Port Halcyon."""

__version__ = "1.4.0"
