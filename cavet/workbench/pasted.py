"""What is pasted is taken as if it were typed, where something is being typed."""

from __future__ import annotations

from textual import events


class Pasting:
    """Takes the first line of what is pasted. Its class says what becomes of that: nothing, where nothing is typed."""

    def paste(self, text: str) -> None:
        """Take a line without control characters, which is not empty."""

    def on_paste(self, event: events.Paste) -> None:
        """Take what can be typed of it."""
        event.stop()
        line = next((line.strip() for line in event.text.splitlines() if line.strip()), "")
        text = "".join(character for character in line if character.isprintable())
        if text:
            self.paste(text)
