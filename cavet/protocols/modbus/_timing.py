"""The silences by which RTU frames are told apart on a serial line, by how long a character takes there, in s."""

FAST_CHARACTER = 0.0004
"""Above 19 200 baud a character is shorter than this, and the silences are fixed. Source: serial line 1.02, section
2.5.1.1."""
FAST_APART, FAST_SILENCE = 0.00075, 0.00175
APART_CHARACTERS, SILENCE_CHARACTERS = 1.5, 3.5


def apart(character: float) -> float:
    """How far two characters of one frame may be apart, t1.5."""
    return FAST_APART if character < FAST_CHARACTER else APART_CHARACTERS * character


def silence(character: float) -> float:
    """What parts two frames, t3.5."""
    return FAST_SILENCE if character < FAST_CHARACTER else SILENCE_CHARACTERS * character
