"""Mistakes a user can make or meet, each with a sentence that may be shown as it stands."""


class CravoError(Exception):
    """Something a user can understand and act on; `str(error)` is the sentence to show."""


class BadFootage(CravoError):
    """A file that cannot be used as a clip."""


class BadDocument(CravoError):
    """A project file that cannot be read, or an edit that does not fit the project."""


class MissingFootage(CravoError):
    """A project names a clip whose file is not there."""


class Stopped(CravoError):
    """The user stopped the work."""


class LostResult(CravoError):
    """A result that was made and is not there any more."""
