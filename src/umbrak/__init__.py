"""Umbrak: memory upgrades for storage appliances, servers and workstations, planned and proved."""

__version__ = "0.1.0"
