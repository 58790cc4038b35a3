"""A board that is a USB device, exported over IP: frames of a plan on its bulk endpoints.

After each report that it is sent, good or bad, one is ready to be read.
"""

from __future__ import annotations

import msgspec

from cavet.boards._circuit import PinRefusedError
from cavet.boards._running import CauseOf, Client, Firmware, Outgoing
from cavet.boards.firmware.plans import Engine, PlanBoard
from cavet.boards.firmware.usb._device import CONFIGURATION, IN_BIT, Identity, StallError, UsbDevice
from cavet.protocols import Frame, Side, read_whole, usb
from cavet.protocols.usb import ip
from cavet.record import Kind, Tell, Topic

BUS, NUMBER, FULL_SPEED = 1, 2, 2
BUS_ID = f"{BUS}-1"
MAX_WAITING = 256
"""So many transfers may wait for a report."""


class _Importer(msgspec.Struct):
    """A program that has connected: what it says, and its transfers that wait."""

    reader: ip.RequestReader
    waiting: list[ip.Submit] = []


class UsbFirmware(Firmware):
    """The device, and the server that exports it to one importer at a time."""

    def __init__(self, identity: Identity, plan: PlanBoard, engine: Engine, tell: Tell) -> None:
        super().__init__()
        self._plan = plan
        self._engine = engine
        self._tell = tell
        self.device = UsbDevice(identity)
        self._clients: dict[Client, _Importer] = {}
        self._owner: Client | None = None
        (self._takes,) = plan.takes

    def start(self, now: float) -> None:
        """Begin anew."""
        self._engine.start(now)
        self.device = UsbDevice(self.device.identity)
        self._owner = None

    def was_reset(self, now: float) -> None:
        """It is gone from its bus: who had imported it loses the connection, as when a device is pulled out."""
        if self._owner is not None:
            self._out.append(Outgoing(self._owner, b"", None, now, hangs_up=True))
            self._owner = None

    def joined(self, client: Client, now: float) -> None:
        """A program is there."""
        self._clients[client] = _Importer(ip.RequestReader())

    def left(self, client: Client, now: float) -> None:
        """It is gone, and what it had imported is free again."""
        self._clients.pop(client, None)
        if self._owner is client:
            self._owner = None

    def feed(self, client: Client, data: bytes, now: float, cause_of: CauseOf) -> None:
        importer = self._clients.get(client)
        if importer is None:
            return
        requests = importer.reader.feed(data)
        while requests:
            for request, offset, taken in requests:
                cause = cause_of(Frame(message=usb.Carried(), data=taken, offset=offset))
                self._take(client, importer, request, now, cause)
            requests = importer.reader.go_on()

    def _take(self, client: Client, importer: _Importer, request: ip.Request, now: float, cause: int) -> None:
        if isinstance(request, ip.DevlistRequest):
            self._say(client, ip.devlist_reply([self._exported()]), now, cause)
        elif isinstance(request, ip.ImportRequest):
            self._import(client, importer, request.bus_id, now, cause)
        elif isinstance(request, ip.Submit):
            self._submit(client, importer, request, now, cause)
        elif isinstance(request, ip.Unlink):
            self._unlink(client, importer, request, now, cause)
        else:
            self._tell(Kind.REFUSED, Topic.BYTES, "usbip", None, cause, request.reason)
            self._out.append(Outgoing(client, b"", None, now, hangs_up=True))

    def _exported(self) -> ip.Exported:
        identity = self.device.identity
        return ip.Exported(
            path=f"/sys/devices/cavet/usb{BUS}/{BUS_ID}", bus_id=BUS_ID, bus=BUS, number=NUMBER, speed=FULL_SPEED,
            vendor=identity.vendor, product=identity.product, version=identity.version,
            configuration=self.device.configuration, configurations=1, interfaces=((0xFF, 0, 0),),
        )  # fmt: skip

    def _import(self, client: Client, importer: _Importer, bus_id: str, now: float, cause: int) -> None:
        status = ip.OK if bus_id == BUS_ID else ip.NO_DEVICE
        if status == ip.OK and self._owner is not None:
            status = ip.BUSY
        if status != ip.OK:
            why = "another program has it" if status == ip.BUSY else f"there is no device {bus_id}: there is {BUS_ID}"
            self._tell(Kind.REFUSED, Topic.DEVICE, bus_id, None, cause, why)
            self._say(client, ip.import_reply(None, status), now, cause)
            return
        self._owner = client
        importer.reader.imported = True
        self.device.configuration = CONFIGURATION
        self.device.halted.clear()
        self.device.ready.clear()
        self._tell(Kind.BOARD, Topic.BOARD, "", "imported", cause)
        self._say(client, ip.import_reply(self._exported()), now, cause)

    # transfers

    def _submit(self, client: Client, importer: _Importer, request: ip.Submit, now: float, cause: int) -> None:
        try:
            if request.endpoint == 0:
                self._control(client, request, now, cause)
                return
            address = request.endpoint | (IN_BIT if request.direction == ip.IN else 0)
            if address not in self.device.endpoints:
                raise StallError(f"there is no endpoint 0x{address:02X}")
            if address in self.device.halted:
                raise StallError(f"endpoint 0x{address:02X} is halted")
        except StallError as stall:
            self._stall(client, request, str(stall), now, cause)
            return
        if request.direction == ip.OUT:
            self._hear(request, now, cause)
            self._say(client, ip.submit_reply(request.sequence, 0, len(request.data)), now, cause)
            self._serve(client, importer, now, cause)
        elif len(importer.waiting) >= MAX_WAITING:
            self._stall(client, request, f"{MAX_WAITING} transfers wait already", now, cause)
        else:
            importer.waiting.append(request)
            self._serve(client, importer, now, cause)

    def _stall(self, client: Client, request: ip.Submit, why: str, now: float, cause: int) -> None:
        self._tell(Kind.REFUSED, Topic.ENDPOINT, str(request.endpoint), None, cause, f"stalled: {why}")
        self._say(client, ip.submit_reply(request.sequence, ip.EPIPE, 0), now, cause)

    def _control(self, client: Client, request: ip.Submit, now: float, cause: int) -> None:
        setup = usb.Setup.unpacked(request.setup)
        answer = self.device.control(setup)[: request.length if request.direction == ip.IN else 0]
        name = usb.read_setup(request.setup)[0].NAME
        self._tell(Kind.TAKEN, Topic.MESSAGE, name, request.setup, cause)
        length = len(answer) if request.direction == ip.IN else len(request.data)
        self._say(client, ip.submit_reply(request.sequence, 0, length, answer), now, cause)
        importer = self._clients[client]
        if importer.waiting and (self.device.halted or self.device.identity.in_endpoint not in self.device.endpoints):
            self._refuse_waiting(client, importer, now, cause)

    def _refuse_waiting(self, client: Client, importer: _Importer, now: float, cause: int) -> None:
        """Transfers that wait at an endpoint end when it is halted, or is there no more."""
        address = self.device.identity.in_endpoint
        if address in self.device.endpoints and address not in self.device.halted:
            return
        waiting, importer.waiting = importer.waiting, []
        for request in waiting:
            self._stall(client, request, f"endpoint 0x{address:02X} is halted or gone", now, cause)

    def _hear(self, request: ip.Submit, now: float, cause: int) -> None:
        """A report has come: act on it, and get one ready."""
        frames = read_whole(self._plan.codecs[self._takes], request.data, Side.HOST)
        try:
            if len(frames) == 1 and len(frames[0].data) == len(request.data):
                self._engine.take(frames[0], now, cause)
            else:
                self._engine.fault(1, f"found a report of {len(request.data)} bytes", request.data, cause)
        except PinRefusedError as refusal:
            self._tell(Kind.REFUSED, Topic.BOARD, "", None, cause, str(refusal))
        for answer in self._plan.gives:
            data = self._engine.make(answer, now, cause)
            if data is None:
                continue
            self._tell(Kind.TOLD, Topic.FRAME, answer.frame, data, cause)
            self.device.ready.append(data)

    def _serve(self, client: Client, importer: _Importer, now: float, cause: int) -> None:
        """Give reports that are ready to transfers that wait."""
        while importer.waiting and self.device.ready:
            request, report = importer.waiting.pop(0), self.device.ready.popleft()
            fits = len(report) <= request.length
            status, taken = (0, report) if fits else (ip.EOVERFLOW, report[: request.length])
            self._say(client, ip.submit_reply(request.sequence, status, len(taken), taken), now, cause)

    def _unlink(self, client: Client, importer: _Importer, request: ip.Unlink, now: float, cause: int) -> None:
        before = len(importer.waiting)
        importer.waiting = [waits for waits in importer.waiting if waits.sequence != request.victim]
        status = ip.ECONNRESET if len(importer.waiting) < before else 0
        self._say(client, ip.unlink_reply(request.sequence, status), now, cause)

    def _say(self, client: Client, data: bytes, now: float, cause: int) -> None:
        self._out.append(Outgoing(client, data, cause, now))

    # the rest of its life

    def advance(self, now: float) -> float:
        return self._engine.advance(now)
