"""The Frames screen without its screen: what is looked at, changed, and said."""
