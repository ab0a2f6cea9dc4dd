"""Stand-ins for the tests of jobs."""

from tests.devices.standins import start

__all__ = ["start"]
