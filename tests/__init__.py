"""All tests; hypothesis tries the same examples each time, unless VANE_STEP_EXPLORE is set to look for new ones."""

import os

from hypothesis import settings

settings.register_profile("same", derandomize=True)
if "VANE_STEP_EXPLORE" not in os.environ:
    settings.load_profile("same")
