"""The words of the language."""

KEYWORDS = frozenset(
    """routine alongside when finally reflex tune let set toggle pulse ask show clear send answered wait until at most
    else expect never reads within repeat times while every for from to step in if otherwise leave do with say mark fail
    stop end keep press release work place break fault on next make mend reset over without waiting off by is and or not
    rises falls changes ready lost open elapsed asked min max abs round root row column""".split()  # noqa: SIM905
)
"""Words that no routine, tune or value may be called by."""
COMPARED = ("=", "!=", "<", "<=", ">", ">=")
STEPS = (
    "set", "toggle", "pulse", "ask", "show", "clear", "send", "wait", "expect", "repeat", "while", "every", "for",
    "leave", "if", "otherwise", "let", "do", "say", "mark", "fail", "stop", "end", "keep", "press", "release",
    "work", "place", "break", "fault", "make", "mend", "reset",
)  # fmt: skip
BLOCKS = ("repeat", "while", "every", "for", "if", "otherwise")
HEADS = ("routine", "alongside", "when", "finally", "reflex")
WAITING = (
    "set", "pulse", "ask", "show", "clear", "send", "wait", "expect", "every", "do", "press", "break", "toggle", "work",
)  # fmt: skip
"""Steps that take bench time: an endless loop needs one of them."""
