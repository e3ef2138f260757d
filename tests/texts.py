"""RINEX texts as the tests hold them: whole, where the program reads line by line."""

from dataclasses import replace

from openstake.wire.rinex import navigation, observations


def read_observations(text, name="The file"):
    """Return an observation file with all its epochs read."""
    found = observations.read_observations(text.splitlines(), name)
    return replace(found, epochs=tuple(found.epochs))


def read_navigation(text, name="The file"):
    return navigation.read_navigation(text.splitlines(), name)
