"""The real endpoints: pseudo-terminals, serial ports, TCP."""

import asyncio
import os
import socket
import sys
import termios
import unittest
from unittest import mock

import serial

from cavet import clock
from cavet.links import Losses, PtyEnd, SerialEnd, SerialSettings, TcpClientEnd, TcpServerEnd, UrlEnd
from cavet.wording import UnreachableError, WrongError
from tests.patience import PATIENCE

"""How long the end waits for who does not read."""
FAST = SerialSettings(rate=115200)


class Ear:
    """Keeps what it is told, and lets a test wait for it."""

    def __init__(self):
        self.told = []
        self.data = b""
        self._news = asyncio.Event()

    def _note(self, what):
        self.told.append(what)
        self._news.set()

    def opened(self):
        self.data = b""
        self._note("opened")

    def received(self, data, offset, at):
        self.data += data
        self._note(offset)

    def closed(self, reason):
        self._note(f"closed: {reason}")

    async def until(self, holds, seconds=PATIENCE):
        async with asyncio.timeout(seconds):
            while not holds():
                self._news.clear()
                await self._news.wait()


def welcoming(ear):
    """Makes the ear listen to whoever calls, and keeps the caller."""

    def welcome(caller):
        ear.caller = caller
        return ear

    return welcome


def real(test):
    """Run a test's coroutine on the loop for real time."""

    def run(self):
        clock.run(test(self))

    run.__doc__ = test.__doc__
    return run


class Terminals(unittest.TestCase):
    async def served(self, settings=FAST):
        end = PtyEnd(settings, Losses("s"))
        ear = Ear()
        path = await end.start(welcoming(ear))
        return end, ear, path

    @real
    async def test_it_sees_open_bytes_and_close(self):
        end, ear, path = await self.served()
        program = os.open(path, os.O_RDWR | os.O_NOCTTY)
        await ear.until(lambda: "opened" in ear.told)
        os.write(program, b"\x00\x03\x0d\x0a\x11\x13\xff")
        await ear.until(lambda: len(ear.data) == 7)
        self.assertEqual(ear.data, b"\x00\x03\x0d\x0a\x11\x13\xff")
        os.close(program)
        await ear.until(lambda: any(str(told).startswith("closed") for told in ear.told))
        program = os.open(path, os.O_RDWR | os.O_NOCTTY)
        await ear.until(lambda: ear.told.count("opened") == 2)
        os.close(program)
        await end.stop()

    @real
    async def test_what_the_board_says_reaches_the_program_unchanged(self):
        end, ear, path = await self.served()
        program = os.open(path, os.O_RDWR | os.O_NOCTTY)
        await ear.until(lambda: "opened" in ear.told)
        said = bytes(range(256))
        end.write(said)
        heard = b""
        while len(heard) < len(said):
            heard += await asyncio.to_thread(os.read, program, 512)
        self.assertEqual(heard, said)
        os.close(program)
        await end.stop()

    @real
    async def test_one_that_is_taken_away_while_it_is_open_is_shut_and_says_no_more(self):
        end, ear, path = await self.served()
        program = os.open(path, os.O_RDWR | os.O_NOCTTY)
        self.addCleanup(os.close, program)
        await ear.until(lambda: "opened" in ear.told)
        ear.caller.write(bytes(100))  # which are still on the wire
        await end.stop()
        self.assertEqual("closed: the device is there no more", ear.told[-1])
        failed = []
        asyncio.get_running_loop().set_exception_handler(lambda loop, context: failed.append(context))
        ear.caller.write(bytes(10))
        await asyncio.sleep(0.05)
        self.assertEqual([], failed)

    @real
    async def test_another_rate_turns_bytes_into_what_it_would_make_of_them(self):
        end, ear, path = await self.served()
        port = serial.Serial(path, 9600)
        await ear.until(lambda: "opened" in ear.told)
        port.write(b"\xf9\xf9\xf9")
        await ear.until(lambda: ear.data)
        self.assertNotIn(b"\xf9", ear.data)
        self.assertEqual(end.heard_rate, 9600)
        port.close()
        await end.stop()

    @real
    async def test_the_device_has_the_boards_rate_before_anyone_sets_one(self):
        end, _, path = await self.served(SerialSettings(rate=57600))
        program = os.open(path, os.O_RDWR | os.O_NOCTTY)
        self.assertEqual(termios.tcgetattr(program)[5], termios.B57600)
        os.close(program)
        await end.stop()

    @real
    async def test_a_program_that_writes_more_than_the_line_carries_has_to_wait(self):
        end, ear, path = await self.served(SerialSettings(rate=300))
        program = os.open(path, os.O_RDWR | os.O_NOCTTY | os.O_NONBLOCK)
        termios_rate = termios.tcgetattr(program)
        termios_rate[4] = termios_rate[5] = termios.B300
        termios.tcsetattr(program, termios.TCSANOW, termios_rate)
        await ear.until(lambda: "opened" in ear.told)
        written = 0
        for _ in range(2000):
            try:
                written += os.write(program, b"x" * 1024)
            except BlockingIOError:
                if end.inward.waiting > 60_000:
                    break
                await asyncio.sleep(0)
        self.assertLess(end.inward.waiting, 80_000)
        self.assertLess(written, 200_000)
        os.close(program)
        await end.stop()


class ToldBySystem(unittest.TestCase):
    """Who opens and shuts a device, while the loop is busy with something else."""

    def setUp(self):
        if not sys.platform.startswith("linux"):
            self.skipTest("only Linux tells who opens a device")

    async def served(self, **more):
        end, ear = PtyEnd(FAST, Losses("s"), **more), Ear()
        return end, ear, await end.start(welcoming(ear))

    @real
    async def test_one_that_shuts_it_and_one_that_opens_it_at_once_are_two(self):
        for resets, heard in ((True, (b"new",)), (False, (b"new", b"oldnew"))):  # or it was heard before
            end, ear, path = await self.served(resets=resets)
            program = os.open(path, os.O_RDWR | os.O_NOCTTY)
            await ear.until(lambda ear=ear: "opened" in ear.told)
            os.write(program, b"old")
            os.close(program)
            program = os.open(path, os.O_RDWR | os.O_NOCTTY)
            await ear.until(lambda ear=ear: ear.told.count("opened") == 2)
            os.write(program, b"new")
            await ear.until(lambda ear=ear: b"new" in ear.data)
            with self.subTest(resets=resets):
                self.assertIn(ear.data, heard)
                told = [what for what in ear.told if isinstance(what, str)]
                self.assertEqual(["opened", "closed: the program has shut the device", "opened"], told)
            os.close(program)
            await end.stop()

    @real
    async def test_one_that_opens_and_shuts_it_without_a_byte_is_told(self):
        end, ear, path = await self.served()
        for _ in range(2):
            os.close(os.open(path, os.O_RDWR | os.O_NOCTTY))
            await asyncio.sleep(0)
        await ear.until(lambda: ear.told.count("closed: the program has shut the device") == 2)
        self.assertEqual(["opened", "closed: the program has shut the device"] * 2, ear.told)
        await end.stop()

    @real
    async def test_its_last_words_come_over_though_it_has_shut_the_device(self):
        end, ear = PtyEnd(SerialSettings(rate=1200), Losses("s")), Ear()
        path = await end.start(welcoming(ear))
        for again in range(2):
            last = b"all off, and good night %d" % again
            program = os.open(path, os.O_RDWR | os.O_NOCTTY)
            await ear.until(lambda count=again + 1: ear.told.count("opened") == count)
            os.write(program, last)
            os.close(program)
            await ear.until(lambda: str(ear.told[-1]).startswith("closed"))
            self.assertEqual(last, ear.data)
        program = os.open(path, os.O_RDWR | os.O_NOCTTY)
        await ear.until(lambda: ear.told.count("opened") == 3)
        os.write(program, b"taken away with the device")
        os.close(program)
        await ear.until(lambda: ear.data)
        await end.stop()
        self.assertEqual("closed: the program has shut the device", ear.told[-1])

    @real
    async def test_who_opens_it_next_does_not_wait_for_the_last_words_of_another(self):
        end, ear = PtyEnd(SerialSettings(rate=300), Losses("s")), Ear()
        path = await end.start(welcoming(ear))
        program = os.open(path, os.O_RDWR | os.O_NOCTTY)
        await ear.until(lambda: "opened" in ear.told)
        os.write(program, b"last words")
        await ear.until(lambda: ear.data)
        os.close(program)
        await ear.until(lambda: not end.is_open)
        heard = []
        ear.opened = lambda: (heard.append(ear.data), Ear.opened(ear))
        program = os.open(path, os.O_RDWR | os.O_NOCTTY)
        await ear.until(lambda: ear.told.count("opened") == 2)
        self.assertEqual([b"last words"], heard)
        os.close(program)
        await end.stop()

    @real
    async def test_others_that_look_in_while_a_program_has_it_are_nobody(self):
        end, ear, path = await self.served()
        program = os.open(path, os.O_RDWR | os.O_NOCTTY)
        both = [os.open(path, os.O_RDONLY | os.O_NOCTTY) for _ in range(2)]  # told as one, with the first
        for other in both:
            os.close(other)
        await ear.until(lambda: "opened" in ear.told)
        for _ in range(3):
            os.close(os.open(path, os.O_RDWR | os.O_NOCTTY))
        os.write(program, b"still here")
        await ear.until(lambda: ear.data == b"still here")
        self.assertEqual(1, ear.told.count("opened"))
        os.close(program)
        await ear.until(lambda: any(str(told).startswith("closed") for told in ear.told))
        await end.stop()


class LookedAt(Terminals):
    """The same where the system does not tell."""

    def setUp(self):
        untold = mock.patch("cavet.links._lookout.Watcher", side_effect=OSError("this system does not tell"))
        untold.start()
        self.addCleanup(untold.stop)


class Ports(unittest.TestCase):
    @real
    async def test_a_port_is_opened_used_and_its_loss_is_noticed(self):
        board = PtyEnd(FAST, Losses("s"))
        board_ear, ear = Ear(), Ear()
        path = await board.start(welcoming(board_ear))
        port = SerialEnd(path, FAST)
        await port.open(ear)
        await board_ear.until(lambda: "opened" in board_ear.told)
        self.assertEqual(port.write(b"hello"), 5)
        await board_ear.until(lambda: board_ear.data == b"hello")
        board.write(b"there")
        await ear.until(lambda: ear.data == b"there")
        await board.stop()
        await ear.until(lambda: any(str(told).startswith("closed") for told in ear.told))

    @real
    async def test_a_port_in_use_is_told_as_that(self):
        board = PtyEnd(FAST, Losses("s"))
        path = await board.start(welcoming(Ear()))
        first = SerialEnd(path, FAST)
        await first.open(Ear())
        with self.assertRaises(UnreachableError) as caught:
            await SerialEnd(path, FAST).open(Ear())
        self.assertEqual(str(caught.exception), f"{path}: in use by another program")
        first.close()
        await board.stop()

    @real
    async def test_a_port_that_is_not_there_is_told_as_that(self):
        with self.assertRaises(UnreachableError) as caught:
            await SerialEnd("/dev/ttyNONE7", FAST).open(Ear())
        self.assertEqual(str(caught.exception), "/dev/ttyNONE7: no such device; is it plugged in?")


class Tcp(unittest.TestCase):
    @real
    async def test_one_program_at_a_time_is_served(self):
        server = TcpServerEnd("127.0.0.1", 0, Losses("s"))
        board_ear, ear = Ear(), Ear()
        address = await server.start(welcoming(board_ear))
        host, _, port = address.rpartition(":")
        client = TcpClientEnd(host, int(port))
        await client.open(ear)
        client.write(b"ab")
        await board_ear.until(lambda: board_ear.data == b"ab")
        board_ear.caller.write(b"cd")
        await ear.until(lambda: ear.data == b"cd")
        second, second_ear = TcpClientEnd(host, int(port)), Ear()
        await second.open(second_ear)
        await second_ear.until(lambda: any("shut" in str(told) for told in second_ear.told))
        client.close()
        await board_ear.until(lambda: any("shut" in str(told) for told in board_ear.told))
        await client.open(ear)
        client.write(b"again")
        await board_ear.until(lambda: board_ear.data == b"again")
        await server.stop()
        client.close()

    @real
    async def test_a_port_in_use_and_a_board_that_is_not_there_are_told(self):
        first = TcpServerEnd("127.0.0.1", 0, Losses("s"))
        port = int((await first.start(welcoming(Ear()))).rpartition(":")[2])
        with self.assertRaises(UnreachableError):
            await TcpServerEnd("127.0.0.1", port, Losses("s")).start(welcoming(Ear()))
        await first.stop()
        with self.assertRaises(UnreachableError) as caught:
            await TcpClientEnd("127.0.0.1", port).open(Ear())
        self.assertTrue(str(caught.exception).startswith(f"127.0.0.1:{port}: "))

    @real
    async def test_an_address_is_written_as_it_can_be_read(self):
        for host, port, place in (("127.0.0.1", 502, "127.0.0.1:502"), ("::1", 502, "[::1]:502")):
            self.assertEqual(TcpClientEnd(host, port).address, place)
        with self.assertRaises(UnreachableError) as caught:
            await TcpServerEnd("nowhere.invalid", 0, Losses("s")).start(welcoming(Ear()))
        self.assertRegex(str(caught.exception), r"^nowhere\.invalid: [A-Z]")

    @real
    async def test_a_name_with_several_addresses_is_told_by_its_first_and_no_host_is_none(self):
        several = OSError("Multiple exceptions: [Errno 111] Connect call failed ('::1', 1), [Errno 111] Connect …")
        with mock.patch("asyncio.open_connection", side_effect=several), self.assertRaises(UnreachableError) as caught:
            await TcpClientEnd("here", 1).open(Ear())
        self.assertEqual("here:1: Connection refused", str(caught.exception))
        with self.assertRaises(WrongError):
            TcpServerEnd("", 0, Losses("s"))

    @real
    async def test_a_line_over_tcp_makes_a_program_wait(self):
        server = TcpServerEnd("127.0.0.1", 0, Losses("s"), byte_seconds=2e-7)
        board_ear = Ear()
        host, _, port = (await server.start(welcoming(board_ear))).rpartition(":")
        _, writer = await asyncio.open_connection(host, int(port))
        sent = bytes(range(251)) * 160_000
        writer.write(sent)
        await board_ear.until(lambda: len(board_ear.data) > 2_000_000)
        self.assertGreater(writer.transport.get_write_buffer_size(), len(sent) // 2)
        self.assertEqual(board_ear.data, sent[: len(board_ear.data)])
        writer.transport.abort()
        await server.stop()

    @real
    async def test_the_last_words_on_a_line_over_tcp_come_over_too(self):
        server = TcpServerEnd("127.0.0.1", 0, Losses("s"), byte_seconds=0.005)
        board_ear = Ear()
        host, _, port = (await server.start(welcoming(board_ear))).rpartition(":")
        client = TcpClientEnd(host, int(port))
        await client.open(Ear())
        client.write(b"the last words")
        client.close()
        await board_ear.until(lambda: str(board_ear.told[-1:]).startswith("['closed"))
        self.assertEqual(b"the last words", board_ear.data)
        await server.stop()

    @real
    async def test_who_never_reads_is_let_go_after_a_hang_up(self):
        server = TcpServerEnd("127.0.0.1", 0, Losses("s"))
        board_ear = Ear()
        host, _, port = (await server.start(welcoming(board_ear))).rpartition(":")
        with socket.create_connection((host, int(port))):
            await board_ear.until(lambda: "opened" in board_ear.told)
            board_ear.caller.write(b"x" * 50_000_000)
            self.assertGreater(board_ear.caller.unread, 0)
            board_ear.caller.hang_up()
            await board_ear.until(lambda: any("shut" in str(told) for told in board_ear.told))
        await server.stop()

    @real
    async def test_a_url_whose_server_goes_is_closed_and_a_write_to_it_is_no_crash(self):
        server = TcpServerEnd("127.0.0.1", 0, Losses("s"))
        board_ear, ear = Ear(), Ear()
        end = UrlEnd("socket://" + await server.start(welcoming(board_ear)), FAST)
        await end.open(ear)
        self.assertEqual(end.write(b"hello"), 5)
        await board_ear.until(lambda: board_ear.data == b"hello")
        await server.stop()
        for _ in range(3):
            end.write(b"lost")
        await ear.until(lambda: any(str(told).startswith("closed") for told in ear.told))
        self.assertEqual(len([told for told in ear.told if str(told).startswith("closed")]), 1)
        self.assertEqual(end.write(b"nobody"), 23)
        with self.assertRaises(UnreachableError):
            await end.open(Ear())

    @real
    async def test_a_url_that_takes_nothing_any_more_is_lost(self):
        with socket.create_server(("127.0.0.1", 0)) as listening:
            ear = Ear()
            end = UrlEnd(f"socket://127.0.0.1:{listening.getsockname()[1]}", FAST)
            await end.open(ear)
            other, _ = listening.accept()
            with other:
                began = asyncio.get_running_loop().time()
                end.write(b"x" * 50_000_000)
                self.assertLess(asyncio.get_running_loop().time() - began, 1.0)
                await ear.until(lambda: any(str(told).startswith("closed") for told in ear.told))

    @real
    async def test_what_was_written_to_a_url_is_out_before_it_is_shut(self):
        with socket.create_server(("127.0.0.1", 0)) as listening:
            for _ in range(20):
                end = UrlEnd(f"socket://127.0.0.1:{listening.getsockname()[1]}", FAST)
                await end.open(Ear())
                other, _ = listening.accept()
                end.write(b"the last")
                end.write(b" words")
                end.close()
                with other:
                    self.assertEqual(await asyncio.to_thread(read_to_the_end, other), b"the last words")


def read_to_the_end(link):
    heard = b""
    while piece := link.recv(4096):
        heard += piece
    return heard


if __name__ == "__main__":
    unittest.main()
