"""The root of the errors whose message is meant for the person who asked: whoever expects one catches these, since
`except ValueError` catches faults of the code too.

OctaplanError         something cannot be done as it was asked for
└─ TypedError         what was typed or pasted cannot be read
"""


class OctaplanError(ValueError):
    """Something that was asked for cannot be done; the message says what, where, why and what to do."""


class TypedError(OctaplanError):
    """What was typed, or stands in a cell of a table, cannot be read."""


def in_words(error: Exception) -> str:
    """What an error says, with the notes that were added to it on its way."""
    said = str(error.args[0] if error.args else error)
    return ". ".join(part for part in (said, *getattr(error, "__notes__", ())) if part)
