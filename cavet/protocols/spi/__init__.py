"""SPI: transfers in its four modes, either bit order, and chains of devices that share one chip select.

There is no standard of it; what is here is what the trade calls modes 0 to 3: bit 1 of the mode is the clock's level
at rest, bit 0 tells whether the second edge samples.
"""

from cavet.protocols.spi._codec import CODEC, Chain, FoundTransfer, SpiDecoder, Transfer, chained, turned

__all__ = ["CODEC", "Chain", "FoundTransfer", "SpiDecoder", "Transfer", "chained", "turned"]
