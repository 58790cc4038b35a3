"""The Record screen: what happened, when, how long."""
