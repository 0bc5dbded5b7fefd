"""An application of its own for each test, asked through the addresses the pages use."""

from __future__ import annotations

import tempfile
import unittest
from concurrent.futures import Executor, Future
from pathlib import Path
from typing import Any

from fastapi.testclient import TestClient

from tests.support import FROST
from vane_step.core.design.model import Design
from vane_step.web import app as app_module
from vane_step.web.app import create_app
from vane_step.web.jobs import Jobs
from vane_step.web.settings import Settings


class Here(Executor):
    """Does the work at once, in this process, as an executor."""

    def submit(self, fn: Any, /, *args: Any, **kwargs: Any) -> Future[Any]:
        """Run and give the finished future."""
        future: Future[Any] = Future()
        try:
            future.set_result(fn(*args, **kwargs))
        except Exception as error:
            future.set_exception(error)
        return future


class Served(unittest.TestCase):
    """An application with the demo designs in a folder of its own, its router in this process."""

    key = ""
    host = "127.0.0.1"

    def setUp(self) -> None:
        """Start it."""
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        before = app_module.Jobs
        app_module.Jobs = lambda: Jobs(Here(), {})  # type: ignore[assignment,misc]
        self.addCleanup(setattr, app_module, "Jobs", before)
        settings = Settings(host=self.host, data=Path(folder.name), access_key=self.key)
        self.app = create_app(settings, demo=True)
        self.client = TestClient(self.app, base_url="http://127.0.0.1")
        self.client.__enter__()
        self.addCleanup(self.client.__exit__, None, None, None)

    def version(self, id: str = FROST) -> int:
        """Give the version of a design."""
        return int(self.app.state.store.get(id).version)

    def design(self, id: str = FROST) -> Design:
        """Give a design as it stands."""
        found: Design = self.app.state.store.get(id).design
        return found

    def ask(self, text: str, id: str = FROST, version: int | None = None) -> Any:
        """Carry out a sentence."""
        return self.client.post(
            f"/d/{id}/ask", json={"text": text, "version": version or self.version(id), "commit": True}
        )
