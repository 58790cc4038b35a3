"""Programs written to the kernel's header of lines alone, in C and in plain Python, on a board's simulated lines."""

import asyncio
import errno
import json
import os
import shutil
import signal
import subprocess
import sys
import textwrap
import unittest
from pathlib import Path

from cavet.bench import BenchThread
from cavet.benchfile import load_bench
from cavet.workbench import Desk
from cavet.workbench.app import app_for
from tests.kernel.running import PROGRAMS, Programs
from tests.patience import PATIENCE
from tests.workbench.test_screens import Seat

BENCH = """
format = 1
[boards.sluice]
profile = "heron"
firmware = "buses"
kernel = { "/dev/gpiochip0" = "gpio", "/dev/i2c-1" = "i2c" }
[boards.sluice.parts]
lamp = { kind = "lamp", pin = "L17" }
eye = { kind = "limit", pin = "L4", closes = "sluice.lamp > 0.5" }
push = { kind = "button", pin = "L5" }
wire = { kind = "jumper", pin = "L6", to = "L7" }
yard = { kind = "expander", address = 0x22 }
"""
KEEPER = """
[profiles.keeper]
pins = "1-40"
lines = "5, 7, 9, 11, 13, 15, 17, 21, 23, 25, 27, 29, 31, 6, 8, 10, 12, 14, 16, 18, 22, 24, 26, 28, 30, 32"
input = "5-32"
output = "5-32"
released = "kept"
[boards.sluice]
"""
KEEPS = """
format = 1
[profiles.keeper]
pins = "0-3, 8"
input = "0-3"
output = "0-2"
reserved = { 2 = "the lamp of the casing" }
released = "kept"
[boards.sluice]
profile = "keeper"
firmware = "buses"
kernel = { "/dev/gpiochip0" = "gpio" }
[boards.sluice.parts]
lamp = { kind = "lamp", pin = 0 }
"""
PLAIN = """
import fcntl, os, struct

def number(place, size, both=True):
    return (3 if both else 2) << 30 | size << 16 | 0xB4 << 8 | place

chip = os.open("/dev/gpiochip0", os.O_RDWR)

def about(line):
    info = bytearray(256)
    struct.pack_into("=I", info, 64, line)
    fcntl.ioctl(chip, number(0x05, 256), info)
    name, who, _, _, flags = struct.unpack_from("=32s32sIIQ", info)
    return name.rstrip(b"\\0").decode(), who.rstrip(b"\\0").decode(), flags

def ask(line, flags, who=b"plain"):
    asked = bytearray(592)
    struct.pack_into("=I", asked, 0, line)
    asked[256 : 256 + len(who)] = who
    struct.pack_into("=Q", asked, 288, flags)
    struct.pack_into("=I", asked, 560, 1)
    fcntl.ioctl(chip, number(0x07, 592), asked)
    return struct.unpack_from("=i", asked, 588)[0]

def put(file, value):
    fcntl.ioctl(file, number(0x0F, 16), struct.pack("=QQ", value, 1))

def get(file):
    return struct.unpack_from("=Q", fcntl.ioctl(file, number(0x0E, 16), struct.pack("=QQ", 0, 1)))[0]
"""
LIGHTS = f"{PLAIN}eye = ask(4, 4 | 16)\nput(ask(17, 8), 1)\nos.read(eye, 48)\n"
"""A program that waits for what it has lit: the events are asked for first, so that none is missed."""


@unittest.skipIf(shutil.which("cc") is None, "there is no C compiler: the shim can't be made")
class OnLines(Programs, unittest.TestCase):
    MAPS = ()
    BENCH = BENCH

    def python(self, text, **options):
        return self.call(sys.executable, "-c", PLAIN + textwrap.dedent(text), **options)

    def check(self, expected, text, **options):
        done = self.python(text, **options)
        self.assertEqual((0, expected, ""), (done.returncode, done.stdout, done.stderr))

    def test_programs_in_c_get_what_the_header_promises(self):
        for name, code in (("lines", 5), ("handles", 0)):
            with self.subTest(name):
                done = self.call(self.made(f"{name}.c"))
                expected = (PROGRAMS / f"{name}.txt").read_text("utf-8")
                self.assertEqual(expected.splitlines(), done.stdout.splitlines())
                self.assertEqual((code, ""), (done.returncode, done.stderr))

    def test_plain_python_and_who_did_it_in_the_record(self):
        self.check(
            "('L17', 'plain', 9) 1 1\n",
            """
                lamp, eye = ask(17, 8), ask(4, 4 | 16)
                put(lamp, 1)
                event = struct.unpack("=QIIII24x", os.read(eye, 48))
                print(about(17), event[1], get(eye))
            """,
            more=("--record", "a.record"),
        )
        events = self.events("a.record")
        by_number = {line["number"]: line for line in events if "number" in line}
        lit = next(line for line in events if line.get("kind") == "driven" and line["value"] == 1)
        who = by_number[by_number[lit["cause"]]["cause"]]
        self.assertEqual(("carried", "set L17 1"), (who["kind"], who["value"]))
        self.assertRegex(who["note"], r"^process \d+ \(python.*\), GPIO_V2_LINE_SET_VALUES on /dev/gpiochip0$")
        told = next(line for line in events if line.get("kind") == "told")
        self.assertIn("L4 rises: told to plain", told["note"])
        sensed = by_number[by_number[told["cause"]]["cause"]]
        self.assertEqual(("sensed", "sluice.eye"), (sensed["kind"], sensed["part"]))

    def test_a_line_goes_back_to_rest_when_its_program_is_killed(self):
        self.check(
            "9\n('L17', '', 4)\n",
            """
                import select, signal, sys
                eye = ask(4, 4 | 16 | 32)
                if not (child := os.fork()):
                    lamp = ask(17, 8)
                    put(lamp, 1)
                    signal.pause()
                os.read(eye, 48)
                os.kill(child, signal.SIGKILL)
                print(os.waitpid(child, 0)[1])
                os.read(eye, 48)
                print(about(17))
            """,
        )

    def test_a_profile_can_keep_what_is_let_go_of(self):
        self.bench = str(self.folder / "keeps.bench.toml")
        (self.folder / "keeps.bench.toml").write_text(KEEPS, "utf-8")
        self.check(
            "('0', '', 8) 9\n('2', 'the lamp of the casing', 5)\n('', 'no pin', 5)\n[16, 16, 22, 22]\n",
            """
                put(line := ask(0, 8), 1)
                os.close(line)
                print(about(0), 8 + get(ask(0, 0)))
                print(about(2))
                print(about(5))
                codes = []
                for line, flags in ((2, 8), (5, 4), (3, 8), (9, 4)):
                    try:
                        ask(line, flags)
                    except OSError as error:
                        codes.append(error.errno)
                print(codes)
            """,
        )

    def test_lines_are_kept_over_an_exec_and_all_else_can_be_shut(self):
        self.check(
            "1 1\n",
            """
                import subprocess, sys
                put(lamp := ask(17, 8), 1)
                os.set_inheritable(lamp, True)
                os.set_inheritable(chip, True)
                for file in range(3, 64):
                    if file not in (lamp, chip):
                        try:
                            os.close(file)  # ours as well
                        except OSError:
                            pass
                for _ in range(3):
                    open("/dev/null")
                kept = [open("f", "w") for _ in range(5)]
                first = get(lamp)
                assert not any(os.fstat(file.fileno()).st_size for file in kept)
                text = "import fcntl, struct; v = fcntl.ioctl(%d, 0xC010B40E, struct.pack('QQ', 0, 1)); print(%d, v[0])"
                os.execv(sys.executable, [sys.executable, "-c", text % (lamp, first)])
            """,
        )

    def test_a_program_that_starts_others_keeps_its_devices(self):
        self.check(
            "1 20 0\n",
            """
                import subprocess, threading
                lamp, wrong = ask(17, 8), []
                def blink():
                    for n in range(200):
                        put(lamp, n & 1)
                        if get(lamp) != n & 1:
                            wrong.append(n)
                thread = threading.Thread(target=blink)
                thread.start()
                codes = [subprocess.run(["true"]).returncode for _ in range(10)]
                for _ in range(10):
                    if not (child := os.fork()):
                        os._exit(about(17)[1] != "plain")
                    codes.append(os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]))
                thread.join()
                print(get(lamp), len(codes), sum(codes) + len(wrong))
            """,
        )

    def test_64_threads_ask_for_one_line_and_one_gets_it(self):
        self.check(
            "1 63\n",
            f"""
                import threading
                got, busy, gate = [], [], threading.Barrier(64)
                def work():
                    gate.wait()
                    try:
                        got.append(ask(17, 8))
                    except OSError as error:
                        busy.append(error.errno)
                threads = [threading.Thread(target=work) for _ in range(64)]
                for thread in threads:
                    thread.start()
                for thread in threads:
                    thread.join()
                print(len(got), busy.count({errno.EBUSY}))
            """,
        )

    def test_thousands_of_opens_and_requests_leave_nothing(self):
        self.check(
            "17 ''\n",
            """
                for _ in range(1500):
                    again = os.open("/dev/gpiochip0", os.O_RDONLY)
                    os.close(ask(17, 8))
                    os.close(again)
                print(17, repr(about(17)[1]))
            """,
        )

    def test_who_waits_for_an_edge_is_told_when_the_bench_is_gone(self):
        text = """
            import signal, threading, time
            eye = ask(4, 4 | 16)
            threading.Timer(0.2, os.kill, (os.getppid(), signal.SIGKILL)).start()
            try:
                os.read(eye, 48)
            except OSError as error:
                waited = error.errno
            try:
                about(17)
            except OSError as error:
                open("code", "w").write(f"{waited} {error.errno}")
        """
        self.python(text)
        self.assertEqual(f"{errno.EIO} {errno.EIO}", self.written("code"))

    def test_signals_reach_who_waits_and_handlers_can_set_lines(self):
        self.check(
            "set True\n",
            """
                import signal
                eye, lamp = ask(4, 4 | 16), ask(17, 8)
                signal.signal(signal.SIGALRM, lambda *_: put(lamp, 1))
                signal.setitimer(signal.ITIMER_REAL, 0.05)
                print("set", len(os.read(eye, 48)) == 48)
            """,
        )

    def test_a_handler_that_asks_in_the_middle_of_a_question(self):
        source = """
            #include <fcntl.h>
            #include <linux/gpio.h>
            #include <signal.h>
            #include <stdio.h>
            #include <string.h>
            #include <sys/ioctl.h>
            #include <sys/time.h>
            #include <unistd.h>
            static int line, handled, wrong;
            static void tick(int number)
            {
                struct gpio_v2_line_values values = {handled & 1, 1};
                wrong += ioctl(line, GPIO_V2_LINE_SET_VALUES_IOCTL, &values) != 0;
                handled++;
            }
            int main(void)
            {
                struct gpio_v2_line_request request;
                struct itimerval often = {{0, 3000}, {0, 3000}};
                struct sigaction action;
                unsigned char came[64];
                int chip = open("/dev/gpiochip0", O_RDWR), bus = open("/dev/i2c-1", O_RDWR);
                memset(&request, 0, sizeof request);
                request.offsets[0] = 17;
                request.num_lines = 1;
                request.config.flags = GPIO_V2_LINE_FLAG_OUTPUT;
                wrong += ioctl(chip, GPIO_V2_GET_LINE_IOCTL, &request) != 0;
                line = request.fd;
                memset(&action, 0, sizeof action);
                action.sa_handler = tick;
                action.sa_flags = SA_RESTART;
                sigaction(SIGALRM, &action, NULL);
                setitimer(ITIMER_REAL, &often, NULL);
                ioctl(bus, 0x0703, 0x22);
                for (int n = 0; n < 60; n++) /* each takes 6 ms on the wires */
                    wrong += read(bus, came, sizeof came) != sizeof came;
                printf("%d %d\\n", handled > 30, wrong);
                return 0;
            }
        """
        done = self.call(self.made(source))
        self.assertEqual((0, "1 0\n", ""), (done.returncode, done.stdout, done.stderr))

    def test_what_a_program_calls_itself_reaches_nobody_as_control_codes(self):
        self.check(
            "b'\\x1b[31m\\xff<' 16\n",
            """
                line = ask(17, 8, b"\\x1b[31m\\xff<")
                info = bytearray(256)
                struct.pack_into("=I", info, 64, 17)
                fcntl.ioctl(chip, number(0x05, 256), info)
                try:
                    ask(17, 8)
                except OSError as error:
                    print(bytes(info[32:64]).rstrip(b"\\0"), error.errno)
            """.replace("\\\\", "\\"),
            more=("--record", "a.record"),
        )
        words = [line["note"] for line in self.events("a.record") if line.get("kind") == "refused"]
        self.assertEqual(["EBUSY, L17 is used by ‹ESC›[31m\N{REPLACEMENT CHARACTER}<"], words)

    def test_defects_of_the_bench_are_what_the_program_meets(self):
        defects = """
            [defects.dead]
            kind = "dead-pin"
            board = "sluice"
            pin = 14
            on = true
            [defects.low]
            kind = "stuck-bus"
            board = "sluice"
            on = true
        """
        Path(self.bench).write_text(BENCH + textwrap.dedent(defects), "utf-8")
        self.check(
            f"0 {errno.ETIMEDOUT}\n",
            """
                import fcntl
                put(line := ask(17, 8), 1)
                bus = os.open("/dev/i2c-1", os.O_RDWR)
                fcntl.ioctl(bus, 0x0703, 0x22)
                try:
                    os.read(bus, 1)
                except OSError as error:
                    print(get(line), error.errno)
            """,
            more=("--record", "a.record"),
        )
        lost = [line["note"] for line in self.events("a.record") if line.get("kind") == "lost"]
        self.assertTrue(any("its line stays low" in words for words in lost), lost)

    def test_a_line_that_was_only_looked_at_stays_as_it_is(self):
        self.bench = "demo"
        self.check(
            "9 1 1\n",
            """
                import socket
                host, _, port = os.environ["CAVET_PUMPHOUSE_TCP"].rpartition(":")
                link = socket.create_connection((host, int(port)))
                link.sendall(bytes.fromhex("000100000006" "0705" "0004" "ff00"))  # the alarm lamp, at L5
                link.recv(12, socket.MSG_WAITALL)
                line = ask(5, 0)
                flags, before = about(5)[2], get(line)
                os.close(line)
                print(flags, before, get(ask(5, 0)))
            """,
            maps=("/dev/gpiochip0=pumphouse",),
        )

    def test_two_paths_to_one_board_are_two_chips_by_name(self):
        self.check(
            "gpiochip0 gpiochip4 16\n",
            """
                def name(file):
                    return fcntl.ioctl(file, number(0x01, 68, False), bytes(68))[:32].rstrip(b"\\0").decode()
                other, line = os.open("/dev/gpiochip4", os.O_RDWR), ask(17, 8)
                first, chip = chip, other
                try:
                    ask(17, 8)
                except OSError as error:
                    print(name(first), name(chip), error.errno)
            """.replace("\\\\", "\\"),
            maps=("/dev/gpiochip4=sluice",),
        )

    def test_more_devices_than_there_is_room_for_are_told(self):
        done = self.call("true", maps=[f"/dev/gpiochip{number}=sluice" for number in range(70)])
        self.assertEqual((2, 1), (done.returncode, done.stderr.count("\n")), done.stderr)
        self.assertIn("expected at most 64", done.stderr)

    def test_a_folder_for_temporary_files_that_is_too_long_for_a_socket(self):
        long = self.folder / ("a" * 100)
        long.mkdir()
        text = PLAIN + "print(about(17)[0])"
        done = subprocess.run(
            self.words(sys.executable, "-c", text), capture_output=True, text=True, timeout=PATIENCE,
            env={**os.environ, "TMPDIR": str(long)},
        )  # fmt: skip
        self.assertEqual((0, "L17\n", ""), (done.returncode, done.stdout, done.stderr))

    def test_threads_with_the_least_stack(self):
        source = """
            #include <fcntl.h>
            #include <limits.h>
            #include <linux/i2c-dev.h>
            #include <linux/i2c.h>
            #include <pthread.h>
            #include <stdio.h>
            #include <sys/ioctl.h>
            #include <unistd.h>
            static void *work(void *argument)
            {
                static unsigned char came[8192];
                unsigned char place = 0x0E;
                struct i2c_msg both[2] = {{0x22, 0, 1, &place}, {0x22, I2C_M_RD, 1, came}};
                struct i2c_rdwr_ioctl_data all = {both, 2};
                int bus = open("/dev/i2c-1", O_RDWR);
                return (void *)(long)(ioctl(bus, I2C_RDWR, &all) == 2 && came[0] == 0x5C);
            }
            int main(void)
            {
                pthread_attr_t least;
                pthread_t thread;
                void *done = NULL;
                pthread_attr_init(&least);
                pthread_attr_setstacksize(&least, PTHREAD_STACK_MIN);
                printf("%d", pthread_create(&thread, &least, work, NULL));
                pthread_join(thread, &done);
                printf(" %ld\\n", (long)done);
                return 0;
            }
        """.replace("\\\\", "\\")
        done = self.call(self.made(source))
        self.assertEqual((0, "0 1\n", ""), (done.returncode, done.stdout, done.stderr))

    def test_where_a_sandbox_lets_no_process_copy_memory(self):
        source = """
            #include <errno.h>
            #include <fcntl.h>
            #include <linux/filter.h>
            #include <linux/i2c-dev.h>
            #include <linux/i2c.h>
            #include <linux/seccomp.h>
            #include <stddef.h>
            #include <stdio.h>
            #include <sys/ioctl.h>
            #include <sys/prctl.h>
            #include <sys/syscall.h>
            int main(void)
            {
                struct sock_filter rules[] = {
                    BPF_STMT(BPF_LD | BPF_W | BPF_ABS, offsetof(struct seccomp_data, nr)),
                    BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, SYS_process_vm_readv, 1, 0),
                    BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, SYS_process_vm_writev, 0, 1),
                    BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_ERRNO | EPERM),
                    BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_ALLOW),
                };
                struct sock_fprog program = {sizeof rules / sizeof *rules, rules};
                static unsigned char place = 0x0E, came[8192];
                struct i2c_msg both[2] = {{0x22, 0, 1, &place}, {0x22, I2C_M_RD, 6000, came}};
                struct i2c_rdwr_ioctl_data all = {both, 2};
                int bus = open("/dev/i2c-1", O_RDWR);
                prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0);
                printf("%d ", prctl(PR_SET_SECCOMP, SECCOMP_MODE_FILTER, &program));
                printf("%d ", ioctl(bus, I2C_RDWR, &all));
                printf("%02x ", came[0]);
                both[1].buf = (void *)8;
                printf("%d ", ioctl(bus, I2C_RDWR, &all));
                printf("%d\\n", errno);
                return 0;
            }
        """.replace("\\\\", "\\")
        done = self.call(self.made(source))
        self.assertEqual((0, f"0 2 5c -1 {errno.EFAULT}\n", ""), (done.returncode, done.stdout, done.stderr))

    def test_an_interrupt_that_only_we_get_reaches_the_program(self):
        text = PLAIN + textwrap.dedent("""
            import signal, sys
            signal.signal(signal.SIGINT, lambda *_: sys.exit(9))
            print("there", flush=True)
            signal.pause()
        """)
        with subprocess.Popen(
            self.words(sys.executable, "-c", text), stdout=subprocess.PIPE, text=True, start_new_session=True
        ) as process:
            self.assertEqual("there\n", process.stdout.readline())
            os.kill(process.pid, signal.SIGINT)
            self.assertEqual(9, process.wait(PATIENCE))

    def test_streams_of_the_c_library(self):
        source = """
            #include <linux/gpio.h>
            #include <stdio.h>
            #include <sys/ioctl.h>
            #include <unistd.h>
            int main(void)
            {
                struct gpiochip_info about;
                FILE *chip = fopen("/dev/gpiochip0", "r+"), *bus = fopen("/dev/i2c-1", "r+b");
                unsigned char came[2] = {9, 9};
                printf("%d ", ioctl(fileno(chip), GPIO_GET_CHIPINFO_IOCTL, &about));
                printf("%s ", about.label);
                ioctl(fileno(bus), 0x0703, 0x22);
                setvbuf(bus, NULL, _IONBF, 0);
                fwrite("\\x0e", 1, 1, bus);
                printf("%zu ", fread(came, 1, 1, bus));
                printf("%02x %d %d\\n", came[0], fclose(chip), fclose(bus));
                return access("/dev/i2c-1", R_OK | W_OK) || !access("/dev/i2c-1", X_OK) || !access("/dev/i2c-9", F_OK);
            }
        """
        for flags in ((), ("-O2", "-D_FORTIFY_SOURCE=2"), ("-D_FILE_OFFSET_BITS=64",)):
            with self.subTest(flags):
                done = self.call(self.made(source, *flags))
                self.assertEqual((0, "0 heron 1 5c 0 0\n", ""), (done.returncode, done.stdout, done.stderr))

    def test_a_read_whose_length_the_compiler_checks(self):
        source = """
            #include <fcntl.h>
            #include <stdio.h>
            #include <stdlib.h>
            #include <sys/ioctl.h>
            #include <unistd.h>
            int main(int count, char **words)
            {
                unsigned char came[4] = {0};
                int bus = open("/dev/i2c-1", O_RDWR);
                ioctl(bus, 0x0703, 0x22);
                write(bus, "\\x0e", 1);
                printf("%zd ", read(bus, came, atoi(words[1])));
                printf("%02x\\n", came[0]);
                return 0;
            }
        """
        done = self.call(self.made(source, "-O2", "-D_FORTIFY_SOURCE=2"), "1")
        self.assertEqual((0, "1 5c\n", ""), (done.returncode, done.stdout, done.stderr))

    def test_what_the_file_says_wrong_of_devices_is_told(self):
        for text, words in (
            ('"/dev/i2c-1" = "i3c"', 'did you mean "i2c"'),
            ('"/dev/i2c-1" = 7', "a text, such as i2c"),
            ('"i2c-1" = "i2c"', "the path of a device"),
            ('"/dev/ttyUSB0" = "serial"', "what the board can stand for: i2c, spi.0 or gpio"),
        ):
            with self.subTest(text):
                (self.folder / "test.bench.toml").write_text(BENCH.replace('"/dev/i2c-1" = "i2c"', text), "utf-8")
                done = self.call("true")
                self.assertEqual((2, 1), (done.returncode, done.stderr.count("\n")), done.stderr)
                self.assertIn(words, done.stderr)

    def test_two_boards_can_not_be_one_device(self):
        second = '[boards.other]\nprofile = "heron"\nfirmware = "buses"\nkernel = { "/dev/i2c-1" = "i2c" }\n'
        (self.folder / "test.bench.toml").write_text(BENCH + second, "utf-8")
        done = self.call("true")
        self.assertEqual(2, done.returncode)
        self.assertIn("sluice stands for it", done.stderr)

    def test_a_call_that_is_refused_stands_in_the_record_with_its_reason(self):
        text = """
            import fcntl
            line = ask(17, 8)
            for call in (lambda: ask(17, 4), lambda: ask(26, 4), lambda: ask(6, 12), lambda: put(ask(6, 4), 1)):
                try:
                    call()
                except OSError as error:
                    print(error.errno, end=" ")
            try:
                fcntl.ioctl(os.open("/dev/i2c-1", os.O_RDWR), 0x0703, 0x80)
            except OSError as error:
                print(error.errno)
        """
        codes = (errno.EBUSY, errno.EINVAL, errno.EINVAL, errno.EPERM, errno.EINVAL)
        self.check(" ".join(map(str, codes)) + "\n", text, more=("--record", "a.record"))
        events = self.events("a.record")
        refused = [line for line in events if line.get("kind") == "refused"]
        self.assertEqual(
            ["EBUSY, L17 is used by plain", "EINVAL, there is no line 26: the board has 26",
             "EINVAL, its flags contradict each other: input output", "EPERM, L6 is no output",
             "EINVAL, invalid argument"],
            [line["note"] for line in refused],
        )  # fmt: skip
        by_number = {line["number"]: line for line in events if "number" in line}
        who = by_number[by_number[refused[-1]["cause"]]["cause"]]
        self.assertIn("I2C_SLAVE on /dev/i2c-1", who["note"])

    def test_two_programs_at_once_and_one_that_opens_nothing(self):
        wait = "eye = ask(4, 4 | 16)\nos.write(3, b'x')\nprint(len(os.read(eye, 48)), flush=True)\nos.write(3, b'x')"
        (self.folder / "wait.py").write_text(PLAIN + wait, "utf-8")
        light = "os.read(0, 1)\nput(ask(17, 8), 1)\nos.read(0, 1)"
        (self.folder / "light.py").write_text(PLAIN + light, "utf-8")
        both = f"mkfifo f; {sys.executable} light.py < f & exec 3>f; {sys.executable} wait.py; wait"
        done = self.call("sh", "-c", both)
        self.assertEqual((0, "48\n", ""), (done.returncode, done.stdout, done.stderr))
        done = self.call("true")
        self.assertEqual((0, "", 1), (done.returncode, done.stdout, done.stderr.count("\n")))
        self.assertIn("has not opened /dev/gpiochip0 or /dev/i2c-1", done.stderr)

    def test_json_lines_and_a_hand_at_a_button_while_the_program_waits(self):
        program = """
            eye = ask(5, 4 | 16 | 32 | 256)
            print("waiting", flush=True)
            print(*struct.unpack_from("=QI", os.read(eye, 48))[1:], get(eye))
            sys.exit("that was all")
        """
        words = (sys.executable, "-c", "import sys\n" + PLAIN + textwrap.dedent(program))
        call = self.words(*words, more=("--json", "--events"))
        with subprocess.Popen(
            call, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, cwd=self.folder
        ) as process:
            lines = []
            for line in process.stdout:
                lines.append(json.loads(line))
                if lines[-1].get("text") == "waiting":
                    process.stdin.write('{"part": "sluice.push", "do": "press"}\n')
                    process.stdin.flush()
            self.assertEqual(1, process.wait(PATIENCE))
        self.assertEqual("/dev/gpiochip0", lines[0]["address"])
        self.assertEqual({"event": "end", "code": 1}, lines[-1])
        self.assertIn({"event": "output", "of": "output", "text": "2 0"}, lines)
        self.assertIn({"event": "output", "of": "errors", "text": "that was all"}, lines)
        told = [line for line in lines if line.get("kind") == "told"]
        self.assertEqual([False], [line["value"] for line in told])

    def test_what_one_line_drives_a_jumper_carries_to_the_other(self):
        self.check(
            "0 1 1 1 0\n",
            """
                far = ask(7, 4 | 16)
                before, out = get(far), ask(6, 8)
                put(out, 1)
                os.read(far, 48)
                print(before, get(far), end=" ")
                os.close(far)
                far = ask(7, 4 | 2)
                print(1 - get(far), end=" ")
                os.close(far)
                os.close(out)
                out, far = ask(7, 8), ask(6, 4)  # it has no direction of its own
                put(out, 1)
                print(get(far), end=" ")
                os.close(out)
                print(get(far))
            """,
        )

    def test_a_check_gives_a_program_the_devices_and_looks_at_what_it_leaves(self):
        (self.folder / "lights.py").write_text(LIGHTS, "utf-8")
        check = """
            [checks.lights]
            program = ["python", "lights.py"]
            kernel = true
            rest = { after = "end of program", within = "1 s" }
        """
        for text, code, words in (
            (BENCH, 0, "all held"),
            (
                BENCH.replace('"heron"', '"keeper"').replace("[boards.sluice]", KEEPER),
                1,
                "not at rest after 1 s: sluice.lamp",
            ),
            (BENCH.replace("kernel =", "#"), 2, "expected a board with `[boards.NAME.kernel]`"),
            (
                BENCH.replace("[boards.sluice]", "[checks.other]\nwalk = true\nkernel = true\n[boards.sluice]"),
                2,
                "program",
            ),
        ):
            with self.subTest(words):
                Path(self.bench).write_text(text + textwrap.dedent(check), "utf-8")
                call = [sys.executable, "-m", "cavet", "check", self.bench, "lights", "--allow-programs"]
                done = subprocess.run(call, capture_output=True, text=True, timeout=PATIENCE)
                self.assertEqual(code, done.returncode, done.stdout + done.stderr)
                self.assertIn(words, done.stdout + done.stderr)

    def test_on_the_screen_of_a_bench_that_has_checks_and_no_points(self):
        (self.folder / "lights.py").write_text(LIGHTS, "utf-8")
        check = '\n[checks.lights]\nprogram = ["python", "lights.py"]\nkernel = true\n'
        Path(self.bench).write_text(BENCH + check, "utf-8")

        async def story():
            with BenchThread(load_bench(Path(self.bench)).setup, None) as thread:
                app = app_for(Desk(thread.bench, thread.post))
                async with app.run_test(size=(120, 40)) as pilot:
                    seat = Seat(app, pilot)
                    app.go_to_screen("checks")
                    await seat.sees("no outputs to walk", "lights")
                    await seat.press("enter")
                    await seat.sees("yes, run it")
                    await seat.press("down", "enter")
                    last = seat.desk.checking.last
                    await seat.until(lambda: last("lights") and last("lights").done)
                    self.assertEqual("", last("lights").done[0].came.why)
                    seat.desk.leave()

        asyncio.run(story())

    def test_a_program_ends_and_its_lamp_is_seen_going_dark(self):
        process = subprocess.Popen(
            self.words(sys.executable, "-c", PLAIN + "put(ask(17, 8), 1)\nprint('lit', flush=True)\ninput()"),
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, cwd=self.folder,
        )  # fmt: skip
        with process:
            self.assertEqual("lit\n", process.stdout.readline())
            os.kill(process.pid, signal.SIGTERM)
            self.assertEqual(128 + signal.SIGTERM, process.wait(PATIENCE))


if __name__ == "__main__":
    unittest.main()
