"""Programs written to the kernel's headers alone, in C and in plain Python, on a simulated I2C bus."""

import errno
import shutil
import signal
import subprocess
import sys
import textwrap
import unittest

from tests.kernel.running import Programs
from tests.patience import PATIENCE

PROGRAM = """
#include <errno.h>
#include <fcntl.h>
#include <linux/i2c-dev.h>
#include <linux/i2c.h>
#include <stdio.h>
#include <string.h>
#include <sys/ioctl.h>
#include <sys/mman.h>
#include <sys/wait.h>
#include <pthread.h>
#include <unistd.h>

static int smbus(int file, int reads, int command, int size, union i2c_smbus_data *data)
{
    struct i2c_smbus_ioctl_data call = {reads, command, size, data};
    return ioctl(file, I2C_SMBUS, &call);
}

static void *many(void *argument)
{
    int file = open("/dev/i2c-1", O_RDWR), wrong = 0;
    union i2c_smbus_data data;
    ioctl(file, I2C_SLAVE, 0x22);
    for (int n = 0; n < 20; n++)
        wrong += smbus(file, 1, 0x00, I2C_SMBUS_BYTE_DATA, &data) || data.byte != 0x0F;
    close(file);
    return (void *)(long)wrong;
}

int main(void)
{
    unsigned char out[2] = {0x02, 0x05}, in[2] = {0, 0};
    struct i2c_msg both[2] = {{0x22, 0, 1, out}, {0x22, I2C_M_RD, 2, in}};
    struct i2c_rdwr_ioctl_data all = {both, 2};
    union i2c_smbus_data data;
    unsigned long functions;
    pthread_t threads[8];
    char *edge;
    int file = open("/dev/i2c-1", O_RDWR), status;
    void *wrong;

    ioctl(file, I2C_FUNCS, &functions);
    printf("functions %d\\n", (functions & I2C_FUNC_I2C) && (functions & I2C_FUNC_SMBUS_BYTE_DATA));
    printf("there");
    for (int address = 3; address < 0x78; address++) {
        ioctl(file, I2C_SLAVE, address);
        if (smbus(file, 0, 0, I2C_SMBUS_QUICK, NULL) == 0)
            printf(" %02x", address);
        else if (errno != ENXIO)
            printf(" ?%d", errno);
    }
    printf("\\n");
    ioctl(file, I2C_SLAVE, 0x22);
    data.byte = 0x00; /* all of A are outputs */
    printf("direction %d\\n", smbus(file, 0, 0x00, I2C_SMBUS_BYTE_DATA, &data));
    printf("plain %zd\\n", write(file, out, 2));
    both[0].buf[0] = 0x02;
    both[0].len = 1;
    printf("transfer %d", ioctl(file, I2C_RDWR, &all));
    printf(" %02x\\n", in[0]);
    printf("byte %d", smbus(file, 1, 0x02, I2C_SMBUS_BYTE_DATA, &data));
    printf(" %02x\\n", data.byte);
    data.word = 0x0F0F;
    printf("word %d", smbus(file, 0, 0x02, I2C_SMBUS_WORD_DATA, &data));
    printf(" %d", smbus(file, 1, 0x02, I2C_SMBUS_WORD_DATA, &data));
    printf(" %02x\\n", data.word & 0xFF);
    data.block[0] = 2;
    printf("block %d", smbus(file, 1, 0x02, I2C_SMBUS_I2C_BLOCK_DATA, &data));
    printf(" %d %02x\\n", data.block[0], data.block[1]);
    data.byte = 0x0F;
    smbus(file, 0, 0x00, I2C_SMBUS_BYTE_DATA, &data);
    if (fork() == 0) {
        in[0] = 0;
        _exit(smbus(file, 1, 0x00, I2C_SMBUS_BYTE_DATA, &data) == 0 ? data.byte : 99);
    }
    wait(&status);
    printf("child %02x\\n", WEXITSTATUS(status));
    for (int n = 0; n < 8; n++)
        pthread_create(&threads[n], NULL, many, NULL);
    status = 0;
    for (int n = 0; n < 8; n++) {
        pthread_join(threads[n], &wrong);
        status += (long)wrong;
    }
    printf("threads %d\\n", status);
    file = dup(file);
    errno = 0;
    printf("dup %d\\n", smbus(file, 1, 0x00, I2C_SMBUS_BYTE_DATA, &data));
#define FAILS(name, call) do { int code; errno = 0; code = call; printf(name " %d %d\\n", code, errno); } while (0)
    FAILS("nobody", (ioctl(file, I2C_SLAVE, 0x50), smbus(file, 1, 0, I2C_SMBUS_BYTE, &data)));
    FAILS("address", ioctl(file, I2C_SLAVE, 0x80));
    ioctl(file, I2C_SLAVE, 0x22);
    FAILS("pointer", ioctl(file, I2C_RDWR, (void *)8));
    FAILS("buffer", (both[1].buf = (void *)8, ioctl(file, I2C_RDWR, &all)));
    all.nmsgs = 43;
    FAILS("messages", ioctl(file, I2C_RDWR, &all));
    data.block[0] = 33;
    FAILS("length", smbus(file, 0, 0x02, I2C_SMBUS_BLOCK_DATA, &data));
    FAILS("size", smbus(file, 0, 0x02, 9, &data));
    FAILS("request", ioctl(file, 0x1234, &all));
    edge = (char *)mmap(NULL, 8192, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0) + 4096;
    munmap(edge, 4096);
    edge[-2] = 1;
    FAILS("edge", smbus(file, 0, 0x02, I2C_SMBUS_BLOCK_DATA, (void *)(edge - 2)));
    FAILS("way", smbus(file, 2, 0x02, I2C_SMBUS_BYTE_DATA, &data));
    both[1] = (struct i2c_msg){0x22, I2C_M_RECV_LEN, 33, in};
    all.nmsgs = 2;
    FAILS("counted", ioctl(file, I2C_RDWR, &all));
    both[1].addr = 0xFFFF;
    both[1].flags = 0;
    FAILS("nowhere", ioctl(file, I2C_RDWR, &all));
    return 7;
}
"""
EXPECTED = """functions 1
there 22
direction 0
plain 2
transfer 2 05
byte 0 05
word 0 0 0f
block 0 2 0f
child 0f
threads 0
dup 0
"""
FAILS = {
    "nobody": errno.ENXIO, "address": errno.EINVAL, "pointer": errno.EFAULT, "buffer": errno.EFAULT,
    "messages": errno.EINVAL, "length": errno.EINVAL, "size": errno.EINVAL, "request": errno.ENOTTY,
    "edge": errno.EFAULT, "way": errno.EINVAL, "counted": errno.EINVAL, "nowhere": errno.EINVAL,
}  # fmt: skip
PLAIN = """
import fcntl, os
bus = os.open("/dev/i2c-1", os.O_RDWR)
fcntl.ioctl(bus, 0x0703, 0x22)
os.write(bus, bytes([0x00, 0x00]))
os.write(bus, bytes([0x02, 0x81]))
os.write(bus, bytes([0x02]))
print("latch", os.read(bus, 1).hex())
"""

ORPHANED = """
import signal, time
os.kill(os.getppid(), signal.SIGKILL)
try:
    while True:
        os.read(bus, 1)
        time.sleep(0.01)
except OSError as error:
    open("code", "w").write(str(error.errno))
"""


@unittest.skipIf(shutil.which("cc") is None, "there is no C compiler: the shim can't be made")
class OnTheBus(Programs, unittest.TestCase):
    def test_a_program_in_c_that_knows_nothing_of_us(self):
        done = self.call(self.made(PROGRAM))
        self.assertEqual((7, ""), (done.returncode, done.stderr))
        self.assertEqual(EXPECTED, done.stdout[: len(EXPECTED)])
        found = {
            name: (int(code), int(number))
            for name, code, number in map(str.split, done.stdout[len(EXPECTED) :].splitlines())
        }
        self.assertEqual({name: (-1, number) for name, number in FAILS.items()}, found)

    def test_plain_python_and_its_record(self):
        done = self.call(sys.executable, "-c", PLAIN, more=("--record", "a.record"))
        self.assertEqual((0, "latch 81\n", ""), (done.returncode, done.stdout, done.stderr))
        events = self.events("a.record")
        moved = {line["part"] for line in events if line.get("kind") == "moved"}
        self.assertLessEqual({"mast.yard_1", "mast.yard_8"}, moved)
        self.assertTrue([line for line in events if "write on /dev/i2c-1" in line.get("note", "")])

    def test_a_serial_device_keeps_the_path_that_the_program_has(self):
        text = textwrap.dedent("""
            import os, tty
            port = os.open("/dev/ttyUSB0", os.O_RDWR | os.O_NOCTTY)
            tty.setraw(port)
            heard = b""
            while b"\\xf7" not in heard:
                heard += os.read(port, 100)
            print(heard[:3].hex())
        """)
        done = self.call(sys.executable, "-c", text, maps=("/dev/ttyUSB0=gatehouse",))
        self.assertEqual((0, "f90207\n", ""), (done.returncode, done.stdout, done.stderr))

    def test_codes_and_signals_are_the_programs_own(self):
        self.assertEqual(3, self.call("sh", "-c", "exit 3").returncode)
        self.assertEqual(128 + signal.SIGTERM, self.call("sh", "-c", "kill -TERM $$").returncode)
        self.assertEqual(127, self.call("no-such-program").returncode)
        self.assertEqual("out\n", self.call("echo", "out", maps=()).stdout)

    def test_what_can_not_be_mapped_is_told_and_nothing_is_run(self):
        for maps, words in (
            (("i2c-1=mast.i2c",), "expected /dev/NAME=BOARD.i2c"),
            (("/dev/i2c-1=most.i2c",), 'did you mean "mast"'),
            (("/dev/i2c-1=pumphouse.i2c",), "one of pumphouse.gpio"),
            (("/dev/ttyUSB0=towpath",), "one of towpath.gpio"),
        ):
            with self.subTest(maps):
                done = self.call("touch", "ran", maps=maps)
                self.assertEqual((2, 1), (done.returncode, done.stderr.count("\n")), done.stderr)
                self.assertIn(words, done.stderr)
                self.assertFalse((self.folder / "ran").exists())

    def test_a_static_program_is_told(self):
        (self.folder / "s.c").write_text("int main(void) { return 0; }")
        done = subprocess.run(["cc", "-static", "-o", self.folder / "s", self.folder / "s.c"], capture_output=True)
        if done.returncode:
            self.skipTest("nothing can be linked statically here")
        done = self.call(str(self.folder / "s"))
        self.assertEqual(2, done.returncode)
        self.assertIn("linked statically", done.stderr)

    def test_a_descriptor_is_kept_over_an_exec(self):
        text = "import fcntl, os; fcntl.ioctl(3, 0x0703, 0x22); os.write(3, b'\\x0e'); print(os.read(3, 1).hex())"
        done = self.call("sh", "-c", f'exec 3<>/dev/i2c-1; {sys.executable} -c "{text}"')
        self.assertEqual((0, "5c\n", ""), (done.returncode, done.stdout, done.stderr))

    def test_64_threads_and_thousands_of_opens(self):
        text = """
            import fcntl, os, threading
            wrong = []
            def work():
                try:
                    for _ in range(50):
                        bus = os.open("/dev/i2c-1", os.O_RDWR)
                        fcntl.ioctl(bus, 0x0703, 0x22)
                        os.write(bus, b"\\x0e")
                        os.read(bus, 1)
                        os.close(bus)
                except OSError as error:
                    wrong.append(error)
            threads = [threading.Thread(target=work) for _ in range(64)]
            for thread in threads:
                thread.start()
            for thread in threads:
                thread.join()
            print(wrong)
        """
        done = self.call(sys.executable, "-c", textwrap.dedent(text))
        self.assertEqual((0, "[]\n", ""), (done.returncode, done.stdout, done.stderr))

    def test_a_bench_that_is_gone_is_an_error_and_no_crash(self):
        text = PLAIN[: PLAIN.index("os.write")] + ORPHANED
        self.call(sys.executable, "-c", text)
        self.assertEqual(str(errno.EIO), self.written("code"))

    def test_where_nothing_is_mapped_a_program_that_fails_is_told(self):
        for program, told in (("true", 0), ("false", 1)):
            words = [sys.executable, "-m", "cavet", "with", "demo", "--", program]
            done = subprocess.run(words, capture_output=True, text=True, timeout=PATIENCE)
            self.assertEqual((told, told), (done.returncode, done.stderr.count("no device of the kernel is mapped")))


if __name__ == "__main__":
    unittest.main()
