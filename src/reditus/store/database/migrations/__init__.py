"""Alembic's migrations, and the one call that applies them."""

from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine


def migrate(engine: Engine) -> None:
    """Bring the database to this version's tables. Does nothing where it is there already."""
    with engine.begin() as connection:
        config = configuration()
        config.attributes["connection"] = connection
        command.upgrade(config, "head")


def configuration() -> Config:
    """Alembic's configuration for these migrations."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent))
    return config
