"""Configuration from the environment, `VAPOCLINE_*`."""

from __future__ import annotations

from pathlib import Path

from pydantic import ValidationError
from pydantic_settings import BaseSettings, SettingsConfigDict

from vapocline.core.base.problems import Problem, Refused, problems_in
from vapocline.core.puck.plan import MEMBERS, Members
from vapocline.desk.context import Simulators

PACKAGE = Path(__file__).parents[1]
INSTALLED_PAGES = PACKAGE / "pages"  # in a wheel
PAGES = INSTALLED_PAGES if INSTALLED_PAGES.is_dir() else PACKAGE.parent / "web" / "dist"


class Settings(BaseSettings):
    """Where the database and the simulators answer, and the built pages lie."""

    model_config = SettingsConfigDict(env_prefix="VAPOCLINE_")

    database_url: str
    simulated_machine: str | None = None
    simulated_scale: str | None = None
    simulated_refractometer: str | None = None
    unsaved_folder: Path | None = None  # for what the database does not take
    members: Members = MEMBERS  # simulated shots behind each range: fewer for a slow computer
    learns: bool = True  # from shots, itself; else a worker beside it does
    hosts: str = ""  # names it is reached by besides loopback's, with commas between
    web_folder: Path = PAGES

    def host_names(self) -> list[str]:
        """The configured names."""
        return [name.strip() for name in self.hosts.split(",") if name.strip()]

    def simulators(self) -> Simulators:
        """The simulated devices' addresses together."""
        return Simulators(
            self.simulated_machine, self.simulated_scale, self.simulated_refractometer
        )


def read_settings(database_url: str) -> Settings:
    """The environment's settings for a database. Raises Refused, each problem by its variable."""
    try:
        return Settings(database_url=database_url)
    except ValidationError as error:
        prefix = Settings.model_config["env_prefix"]
        raise Refused(
            [
                Problem(f"{prefix}{one.field.upper()}", one.got, one.accepted)
                for one in problems_in(error.errors())
            ]
        ) from None
