"""The group every command belongs to; what a command needs is loaded when one is asked for."""

from importlib import import_module

import click

__all__ = ["main"]

# Each registers its commands with the group when it is loaded.
COMMANDS = ("plentar.cli.answers", "plentar.cli.running")


class _Group(click.Group):
    """A group that loads its commands with the first question about them: `--version` answers at once."""

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        self._load()
        return super().get_command(ctx, cmd_name)

    def list_commands(self, ctx: click.Context) -> list[str]:
        self._load()
        return super().list_commands(ctx)

    def _load(self) -> None:
        for name in COMMANDS:
            import_module(name)


@click.group(cls=_Group, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(package_name="plentar")
def main() -> None:
    """Check an air handler's electric heat."""
