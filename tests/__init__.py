"""All tests; hypothesis tries the same examples each time, unless VANE_STEP_EXPLORE is set to look for new ones.

None has a deadline: how fast a machine is is no test of the program.
"""

import os

from hypothesis import settings

settings.register_profile("same", derandomize=True, deadline=None)
settings.register_profile("new", deadline=None)
if "VANE_STEP_EXPLORE" not in os.environ:
    settings.load_profile("same")
else:
    settings.load_profile("new")
