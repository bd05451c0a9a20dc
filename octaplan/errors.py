"""The root of the errors whose message is meant for the person who asked."""


class OctaplanError(ValueError):
    """Something that was asked for cannot be done; the message says what, where, why and what to do."""
