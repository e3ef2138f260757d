"""Every error that a person can mend, in one tree.

OpenStakeError
├── InputError          what was typed, sent or opened cannot be used   (HTTP 422, exit 2)
│   ├── LengthError     a length that cannot be read
│   ├── AngleError      an angle that cannot be read
│   ├── FrameError      a coordinate system, datum or height that cannot be used
│   └── FileError       a file that holds nothing usable
├── NotFoundError       no such job, mark, occupation ...               (HTTP 404, exit 2)
├── ConflictError       the thing has changed or is busy                (HTTP 409, exit 2)
├── NotSignedInError    nobody comes in without the passphrase        (HTTP 401)
├── TooOftenError       passphrases are tried too fast                (HTTP 429)
├── NotHereError        done on the program's own machine alone       (HTTP 403)
├── DeviceError         a receiver, caster or network that does not answer (HTTP 502, exit 2)
└── StorageError        the disk takes nothing any more         (HTTP 507, exit 2)

An error is a sentence: what was seen, the limit, what to do now.  A broken program crashes instead.
"""

from __future__ import annotations

from unicodedata import category


class OpenStakeError(Exception):
    """A problem that a person can mend; `field` names the input it belongs to.

    A sentence may quote a file: what would steer a screen in it is shown as a question mark.
    """

    title = "That did not work"

    def __init__(self, sentence: str, *, field: str | None = None, **seen: object) -> None:
        self.sentence = "".join("?" if category(letter)[0] == "C" and letter != "\n" else letter for letter in sentence)
        super().__init__(self.sentence)
        self.field = field
        self.seen = seen


class InputError(OpenStakeError):
    """What was given cannot be used."""

    title = "This cannot be used"


class LengthError(InputError):
    """A length that cannot be read without guessing."""


class AngleError(InputError):
    """An angle that cannot be read without guessing."""


class FrameError(InputError):
    """A coordinate system, datum or height that cannot be used."""


class FileError(InputError):
    """A file that holds nothing usable."""


class NotFoundError(OpenStakeError):
    """The thing asked for is not there."""

    title = "Not found"


class ConflictError(OpenStakeError):
    """The thing has changed since it was read, or is busy."""

    title = "Not now"


class NotSignedInError(OpenStakeError):
    """Nobody comes in over the network without the passphrase."""

    title = "Not signed in"


class TooOftenError(OpenStakeError):
    """Passphrases are tried faster than a person types them."""

    title = "Not so fast"


class CancelledError(ConflictError):
    """The crew ended the work; nothing of it stays."""


class NotHereError(OpenStakeError):
    """What is done on the program's own machine alone."""

    title = "Not from here"


class DeviceError(OpenStakeError):
    """A receiver, caster or network that does not answer as it should."""

    title = "The device does not answer"


class StorageError(OpenStakeError):
    """The disk takes nothing any more, or cannot be written."""

    title = "Nothing can be stored"
