"""Programs written to the kernel's SPI header alone, on a simulated chain of chips."""

import errno
import shutil
import struct
import unittest

from cavet.kernel.errors import Refused
from cavet.kernel.spi import BITS, LSB_FIRST, MODE, MODE_32, RATE, SHIFT, OpenedSpi
from tests.kernel.running import Programs

PROGRAM = """
#include <errno.h>
#include <fcntl.h>
#include <linux/spi/spidev.h>
#include <stdio.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

#define FAILS(name, call) do { int code; errno = 0; code = call; printf(name " %d %d\\n", code, errno); } while (0)

int main(void)
{
    unsigned char mode = 0, bits = 8, out[16], in[16];
    unsigned speed = 1000000;
    static char much[4097];
    struct spi_ioc_transfer both[2];
    int file = open("/dev/spidev0.0", O_RDWR);

    printf("mode %d", ioctl(file, SPI_IOC_WR_MODE, &mode));
    printf(" bits %d", ioctl(file, SPI_IOC_WR_BITS_PER_WORD, &bits));
    printf(" speed %d", ioctl(file, SPI_IOC_WR_MAX_SPEED_HZ, &speed));
    speed = 0;
    ioctl(file, SPI_IOC_RD_MAX_SPEED_HZ, &speed);
    printf(" %u\\n", speed);
    memset(both, 0, sizeof both);
    /* all four modules: out of shutdown, then full rows */
    for (int n = 0; n < 8; n += 2)
        out[n] = 0x0C, out[n + 1] = 1;
    both[0].tx_buf = (unsigned long)out;
    both[0].rx_buf = (unsigned long)in;
    both[0].len = 8;
    printf("message %d\\n", ioctl(file, SPI_IOC_MESSAGE(1), both));
    for (int n = 0; n < 8; n += 2)
        out[8 + n] = 0x01, out[9 + n] = 0xFF;
    both[1].tx_buf = (unsigned long)(out + 8);
    both[1].len = 8;
    both[0].cs_change = 1;
    printf("two %d\\n", ioctl(file, SPI_IOC_MESSAGE(2), both));
    printf("write %zd\\n", write(file, out + 8, 8));
    printf("read %zd\\n", read(file, in, 4));
    FAILS("write-long", write(file, much, sizeof much));
    bits = 9;
    FAILS("bits", ioctl(file, SPI_IOC_WR_BITS_PER_WORD, &bits));
    mode = SPI_CS_HIGH;
    FAILS("mode", ioctl(file, SPI_IOC_WR_MODE, &mode));
    both[0].len = 5000;
    FAILS("long", ioctl(file, SPI_IOC_MESSAGE(1), both));
    both[0].len = 8;
    both[0].tx_buf = 8;
    FAILS("pointer", ioctl(file, SPI_IOC_MESSAGE(1), both));
    FAILS("i2c", ioctl(file, 0x0707, both));
    return 0;
}
"""
EXPECTED = f"""mode 0 bits 0 speed 0 1000000
message 8
two 16
write 8
read 4
write-long -1 {errno.EMSGSIZE}
bits -1 {errno.EINVAL}
mode -1 {errno.EINVAL}
long -1 {errno.EMSGSIZE}
pointer -1 {errno.EFAULT}
i2c -1 {errno.ENOTTY}
"""


@unittest.skipIf(shutil.which("cc") is None, "there is no C compiler: the shim can't be made")
class OnTheChain(Programs, unittest.TestCase):
    def test_a_program_in_c_that_knows_nothing_of_us(self):
        done = self.call(self.made(PROGRAM), maps=("/dev/spidev0.0=mast.spi.0",), more=("--record", "a.record"))
        self.assertEqual((0, EXPECTED, ""), (done.returncode, done.stdout, done.stderr))
        moved = [line for line in self.events("a.record") if line.get("kind") == "moved"]
        self.assertIn("mast.banner", {line["part"] for line in moved})


class Settings(unittest.TestCase):
    def test_what_is_set_is_read_back_and_what_can_not_be_is_refused(self):
        opened = OpenedSpi()
        for what, value in ((MODE, 3), (MODE_32, 1), (RATE, 2_000_000), (LSB_FIRST, 1), (BITS, 8)):
            opened.set(what, value)
            self.assertEqual(value | (opened.mode & 8 if what in (MODE, MODE_32) else 0), opened.get(what))
        opened.set(BITS, 16)
        self.assertEqual(16, opened.get(BITS))
        opened.set(BITS, 0)
        self.assertEqual(8, opened.get(BITS))
        for what, value in ((MODE, 4), (MODE_32, 0x100), (RATE, 0), (RATE, 999), (BITS, 12), (9, 1)):
            with self.assertRaises(Refused):
                opened.set(what, value)

    def test_a_chip_is_let_go_of_where_that_is_asked_for_and_bits_are_turned(self):
        opened, sent = OpenedSpi(), []

        def shift(data, mode, rate, pause):
            sent.append((data, mode, rate, pause))
            return data

        heads = [(2, 0, 0, 0, 0), (1, 9000, 5, 8, 1), (1, 0, 0, 0, 0)]
        data = b"".join(SHIFT.pack(*head) for head in heads) + b"abcd"
        self.assertEqual(b"abcd", opened.message(3, data, shift))
        self.assertEqual([(b"abc", 0, 9000, 5e-6), (b"d", 0, 500_000, 0.0)], sent)
        opened.set(LSB_FIRST, 1)
        self.assertEqual(b"\x01", opened.plain(b"\x01", shift))
        self.assertEqual(b"\x80", sent[-1][0])

    def test_words_of_more_than_a_byte(self):
        sent = []

        def shift(data, mode, rate, pause):
            sent.append(data)
            return data

        for bits, lsb, memory, wire in (
            (16, 0, struct.pack("=2H", 0x1234, 0xABCD), "1234 abcd"),
            (32, 0, struct.pack("=I", 0x12345678), "12345678"),
            (24, 0, struct.pack("=I", 0x123456), "123456"), (16, 1, struct.pack("=H", 0x8001), "8001"),
            (16, 1, struct.pack("=H", 0x0102), "4080"),
        ):  # fmt: skip
            with self.subTest(bits=bits, lsb=lsb):
                opened = OpenedSpi()
                opened.set(BITS, bits)
                opened.set(LSB_FIRST, lsb)
                self.assertEqual(memory, opened.plain(memory, shift))
                self.assertEqual(bytes.fromhex(wire), sent.pop())
        opened = OpenedSpi()
        heads = SHIFT.pack(2, 0, 0, 16, 0) + SHIFT.pack(2, 0, 0, 0, 0)
        memory = struct.pack("=H", 0x1234) + b"ab"
        self.assertEqual(memory, opened.message(2, heads + memory, shift))
        self.assertEqual([b"\x124ab"], sent)
        with self.assertRaises(Refused):
            opened.message(1, SHIFT.pack(3, 0, 0, 16, 0) + b"abc", shift)


if __name__ == "__main__":
    unittest.main()
