"""Stand-ins and the demo's data for the tests of jobs."""

from tests.devices.standins import start
from tests.services.conftest import technician

__all__ = ["start", "technician"]
