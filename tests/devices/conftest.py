"""Stand-ins for the tests of devices."""

from tests.devices.standins import start

__all__ = ["start"]
