"""Configuration from the environment, `VAPOCLINE_*`."""

from __future__ import annotations

from pathlib import Path

from pydantic_settings import BaseSettings, SettingsConfigDict


class Settings(BaseSettings):
    """Where the database and the simulated machine answer, and the built pages lie."""

    model_config = SettingsConfigDict(env_prefix="VAPOCLINE_")

    database_url: str
    simulated_machine: str | None = None
    web_folder: Path = Path(__file__).parents[2] / "web" / "dist"
