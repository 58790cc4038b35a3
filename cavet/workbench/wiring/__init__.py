"""The Bench screen's rooms: what it shows of a bench as plain values, and how a bench is changed there."""
