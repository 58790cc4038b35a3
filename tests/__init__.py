"""The tests. What is tried by chance has no time limit of its own: a busy machine must not fail it."""

import atexit
import os
import tempfile

from hypothesis import HealthCheck, settings

settings.register_profile("steady", deadline=None, suppress_health_check=(HealthCheck.too_slow,))
settings.load_profile("steady")

if "CAVET_TEST_STATE" not in os.environ:  # nothing that is tried may get into the records and the log of who tries it
    _state = tempfile.TemporaryDirectory(prefix="cavet-test-")
    atexit.register(_state.cleanup)
    os.environ["CAVET_TEST_STATE"] = os.environ["XDG_STATE_HOME"] = _state.name
