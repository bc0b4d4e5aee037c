"""What can go wrong while starting, told to the person at the terminal."""

from epistem.core.errors import EpistemError


class StartError(EpistemError):
    """`message` says what happened and what to do."""
