"""One frozen table of settings; where they are used is elsewhere."""

from __future__ import annotations

from pathlib import Path

from platformdirs import user_data_path
from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict


class Settings(BaseSettings):
    """Settings of the web application; each can be given as ``VANE_STEP_<NAME>`` in the environment."""

    model_config = SettingsConfigDict(env_prefix="VANE_STEP_", frozen=True)
    host: str = Field(
        default="127.0.0.1", description="Address to listen on; loopback unless you know why not."
    )
    port: int = Field(default=8760, ge=0, le=65535, description="Port to listen on.")
    data: Path = Field(
        default_factory=lambda: user_data_path("vane-step"), description="Folder of the database."
    )
    supplier: str = Field(default="", description="Address of a supplier; the simulated one when empty.")
    houses: str = Field(
        default="", description="Address of a list of houses that make boards; simulated ones when empty."
    )
    access_key: str = Field(default="", description="Key asked for off loopback; 12 characters or more.")

    verbose: bool = Field(default=False, description="Write the log to the terminal as well.")

    @property
    def loopback(self) -> bool:
        """Whether only this machine can reach the program."""
        return self.host in ("127.0.0.1", "localhost", "::1")

    @property
    def log_file(self) -> Path:
        """Where the log is written."""
        return self.data / "log" / "vane-step.log"
