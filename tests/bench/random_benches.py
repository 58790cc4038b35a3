"""Benches that are drawn by lot, and wired rightly: what is asked of a point has to reach its part, however it goes."""

import random
from dataclasses import dataclass, field

RANGES = ((0, 100), (0, 1), (-10, 10), (20, 80), (0.5, 4.5), (-40, 125), (100, 0))
NUMBERS = {"uint16": 1, "int16": 1, "uint32": 2, "int32": 2, "uint64": 4, "int64": 4, "float32": 2, "float64": 4}
ORDERS = ("high-first", "low-first")
UNCONFIRMED = "confirm = false"
SWITCH_OPTIONS = ("rest = true", "start = true", "momentary = true", UNCONFIRMED, 'words = ["shut", "open"]')
SWITCHED = ("lamp", "relay", "horn", "valve", "heater")
PROFILE = """[profiles.{name}]
pins = "0-40"
output = "0-40"
input = "0-40"
pull_up = "0-40"
pwm = "0-15"
servo = "0-15"
analog = "30-37"
analog_bits = {bits}
supply = "{volts} V"
resets = {resets}
boot = "{boot} s"
pin_current = "2 A"
board_current = "20 A"
"""


@dataclass
class Drawn:
    """A bench: its text, the plans that it names, and for each output the part with how far a share of its way is."""

    text: str
    plans: dict = field(default_factory=dict)
    levels: dict = field(default_factory=dict)
    """By the points' names: part, low and high end, and where the part stands at these."""
    switches: dict = field(default_factory=dict)
    colours: dict = field(default_factory=dict)
    pins: dict = field(default_factory=dict)
    """By the points' names: the board, and the pins at which their parts hang."""

    @property
    def parts(self):
        """The parts, by the names of their points."""
        return {**{name: level[0] for name, level in self.levels.items()}, **self.switches, **self.colours}


class Lots:
    """Draws one bench from a seed."""

    def __init__(self, seed, *, confirmed=False):
        """With `confirmed`, all that is asked is confirmed where it can be."""
        self._lot = random.Random(seed)
        self._never = {UNCONFIRMED} if confirmed else set()
        self._renames = str(seed)[-1] in "12569"
        self._tables = [f'format = 1\nseed = "{seed}"\n']
        self._points = []
        self.drawn = Drawn("")
        for number, make in enumerate(self._makes()):
            self._begin(f"hut_{number}")
            make(f"hut_{number}")
        self.drawn.text = "\n".join(self._tables + self._points)

    def _makes(self):
        """What makes each board."""
        for _ in range(self._lot.randint(1, 2)):
            yield self._lot.choice((self._firmata, self._modbus, self._scpi, self._mqtt, self._format))

    def _begin(self, board):
        lot = self._lot
        self._pwm, self._pins = lot.sample(range(16), 16), lot.sample(range(16, 30), 14)
        self._tables.append(PROFILE.format(
            name=board, bits=lot.choice((8, 10, 12)), volts=lot.choice((3.3, 5)), boot=lot.choice((0, 0.2)),
            resets=lot.choice(("true", "false")),
        ))  # fmt: skip

    def _host_of(self, board):
        """What the host calls a board: each second bench has another name for it than its own."""
        return board.replace("hut", "desk") if self._renames else board

    def _board(self, board, firmware, link, host="", more=""):
        self._tables.append(f'[boards.{board}]\nprofile = "{board}"\nfirmware = "{firmware}"\n{more}')
        self._tables.append(f'[links.{board}]\nboard = "{board}"\n{link}\n')
        protocol = "plan" if firmware == "usb" else firmware
        self._tables.append(f'[hosts.{self._host_of(board)}]\nlink = "{board}"\nprotocol = "{protocol}"\n{host}\n')

    def _part(self, board, kind, wires):
        name = f"part_{len(self.drawn.levels) + len(self.drawn.switches)}"
        self._tables.append(f'[boards.{board}.parts.{name}]\nkind = "{kind}"\n{wires}\n')
        return name

    def _switch(self, board, where, pin=None):
        """A switch on a pin; `where` says where its point is, by the point's name."""
        pin = self._pins.pop() if pin is None else pin
        name = self._part(board, self._lot.choice(SWITCHED), f"pin = {pin}")
        self._points.append(f'[points.{name}]\nboard = "{self._host_of(board)}"\nkind = "switch"\n{where(name, pin)}\n')
        self._points[-1] += self._options(SWITCH_OPTIONS)
        self.drawn.switches[name] = f"{board}.{name}"
        self.drawn.pins[name] = (board, [pin])

    def _options(self, options):
        """Keys that a point may have besides; each bench has a few."""
        return "".join(f"{each}\n" for each in options if self._lot.random() < 0.2 and each not in self._never)

    def _level(self, board, kind, where, wire, stands=(0, 1), unit="mm", limits=None):
        """A level on a pin; `wire` are the numbers at its ends, `stands` is where its part is then."""
        pin = self._pwm.pop()
        low, high = limits or self._lot.choice(RANGES)
        name = self._part(board, kind, f"pin = {pin}")
        keys = f'unit = "{unit}"\nrange = [{low}, {high}]\nrest = {low}\nwire = [{wire[0]}, {wire[1]}]'
        self._points.append(
            f'[points.{name}]\nboard = "{self._host_of(board)}"\nkind = "level"\n{keys}\n{where(name, pin)}\n'
            + self._options((f"start = {(low + high) / 2}", UNCONFIRMED))
        )
        self.drawn.levels[name] = (f"{board}.{name}", (low, high), stands)
        self.drawn.pins[name] = (board, [pin])

    def _colour(self, board, where):
        """A colour on three pins."""
        name = f"colour_{len(self.drawn.colours)}"
        pins = [self._pwm.pop() for _ in range(3)]
        wires = "\n".join(f"{each} = {pin}" for each, pin in zip(("red", "green", "blue"), pins, strict=True))
        self._tables.append(f'[boards.{board}.parts.{name}]\nkind = "colour-lamp"\n{wires}\n')
        self._points.append(
            f'[points.{name}]\nboard = "{self._host_of(board)}"\nkind = "colour"\n{where(name, pins, wires)}\n'
        )
        self.drawn.colours[name] = f"{board}.{name}"
        self.drawn.pins[name] = (board, pins)

    def _several(self, *makes):
        for _ in range(self._lot.randint(2, 6)):
            self._lot.choice(makes)()

    # what boards speak

    def _firmata(self, board):
        self._board(board, "firmata", f'kind = "serial"\nrate = {self._lot.choice((9600, 57600, 115200))}')
        wire = self._lot.choice(((0, 255), (255, 0), (0, 100)))
        self._several(
            lambda: self._switch(board, lambda name, pin: f"pin = {pin}"),
            lambda: self._level(
                board, "lamp", lambda name, pin: f'mode = "pwm"\npin = {pin}', wire, [end / 255 for end in wire]
            ),
            lambda: self._colour(board, lambda name, pins, wires: wires),
            lambda: self._level(
                board, "servo", lambda name, pin: f'mode = "servo"\npin = {pin}', (0, 180), unit="deg", limits=(0, 180)
            ),
        )

    def _modbus(self, board):
        link = self._lot.choice(('kind = "tcp"', 'kind = "serial"\nrate = 19200', 'kind = "serial"\nframing = "ascii"'))
        self._board(board, "modbus", link, "unit = 7", more="unit = 7")
        self._coil, self._register, self._bits = 0, self._lot.choice((0, 65000)), self._lot.sample(range(16), 16)

        def cell(keys, more=""):
            def where(name, pin):
                self._tables.append(f"[boards.{board}.map.{name}]\npin = {pin}\n{keys}\n{more}\n")
                return keys

            return where

        def coil():
            self._coil += self._lot.randint(1, 3)
            self._switch(board, cell(f'table = "coils"\naddress = {self._coil}'))

        def bit():
            keys = f'table = "holding-registers"\naddress = 64000\ndata = "bit"\nbit = {self._bits.pop()}'
            self._switch(board, cell(keys))

        def register():
            data, high = self._lot.choice(list(NUMBERS)), self._lot.choice((100, 255, 10000))
            keys = f'table = "holding-registers"\naddress = {self._register}\ndata = "{data}"\n'
            keys += "\n".join(f'{order}_order = "{self._lot.choice(ORDERS)}"' for order in ("word", "byte"))
            self._register += NUMBERS[data]
            self._level(board, "lamp", cell(keys, f"high = {high}"), (0, high))

        self._several(coil, bit, register)

    def _scpi(self, board):
        link = self._lot.choice(('kind = "tcp"', 'kind = "serial"\nrate = 9600'))
        self._board(board, "scpi", link, 'reply_within = "3 s"')  # an instrument answers when its part has arrived
        letters = iter("ABCDEF")

        def command(does, keys):
            def where(name, pin):
                header = f"OUT{next(letters)}put"
                self._tables.append(f'[boards.{board}.commands.{name}]\nheader = "{header}"\npins = "{pin}"\n{keys}\n')
                return f'set = "{header[:4]} {{}}"\nask = "{header}?"'

            return where

        def level():
            low, high = self._lot.choice([limits for limits in RANGES if limits[0] < limits[1]])
            keys = f'does = "set"\nunit = "V"\nrange = ["{low} V", "{high} V"]\ndefault = "{low} V"'
            where = command("set", keys)
            self._level(
                board, "lamp", lambda name, pin: where(name, pin).replace("wire", ""), (0, 1), None, "V", (low, high)
            )
            self._points[-1] = self._points[-1].replace("wire = [0, 1]\n", "")

        self._several(lambda: self._switch(board, command("set", 'does = "set"\ntakes = "boolean"')), level)

    def _mqtt(self, board):
        station = f'[boards.{board}.station]\nbase = "x/{board}"\nversion = "{self._lot.choice(("3.1.1", "5.0"))}"\n'
        self._board(board, "mqtt", 'kind = "mqtt"', f'base = "x/{board}"', station)

        def topic(does, forms):
            form = self._lot.choice(forms)

            def where(name, pin):
                keys = f'command = "{name}/set"\nstate = "{name}"\nqos = {self._lot.randint(0, 2)}\n{form}'
                own = f'does = "{does}"\npin = {pin}\n{"range = [0, 1000]" if does == "level" else ""}'
                self._tables.append(f"[boards.{board}.topics.{name}]\n{keys}\n{own}\n")
                return keys

            return where

        numbers = ("", 'payload = "number"\npayload_unit = " lm"', 'payload = "json"\npath = "a.b[1]"',
                   'payload = "raw"\nsize = 2')  # fmt: skip
        words = ("", 'payload = "words"\npayload_words = ["OFF", "ON"]', 'payload = "json"\npath = "lamp"', numbers[3])
        self._several(
            lambda: self._switch(board, topic("switch", words)),
            lambda: self._level(board, "lamp", topic("level", numbers), (0, 1000)),
        )

    def _format(self, board):
        usb, lot = self._lot.random() < 0.3, self._lot
        link = "usb" if usb else lot.choice(("serial", "tcp"))
        own = 'usb = { vendor = 0x1209, product = 1, title = "x" }' if usb else ""
        plan = f'plan = "{board}.plan.toml"\n'
        self._board(board, "usb" if usb else "plan", f'kind = "{link}"', plan, plan + own)
        fields, takes, gives = ['{ name = "tag", bits = 8, const = %d }'], [], []

        def field(bits, full=None):
            def where(name, pin):
                fields.append(f'{{ name = "{name}", bits = {bits} }}')
                drives = f', mode = "pwm", full = {full}' if full else ""
                takes.append(f'{name} = {{ pins = "{pin}"{drives} }}')
                gives.append(f'{name} = {{ pins = "{pin}"{f", full = {full}" if full else ""} }}')
                return f'field = "order.{name}"\nstate = "state.{name}"'

            return where

        def colour(name, pins, wires):
            fields.append(f'{{ name = "{name}", bits = 24 }}')
            row = ", ".join(map(str, pins))
            takes.append(f'{name} = {{ pins = "{row}", mode = "pwm" }}')
            gives.append(f'{name} = {{ pins = "{row}" }}')
            return f'field = "order.{name}"\nstate = "state.{name}"'

        def level():
            bits = lot.choice((7, 8, 10, 16, 24))
            full = lot.choice((100, (1 << bits) - 1))
            self._level(board, "lamp", field(bits, full), (0, full))

        self._several(
            lambda: self._switch(board, field(lot.choice((1, 2, 8)))), level, lambda: self._colour(board, colour)
        )
        sizes = [int(each.partition("bits = ")[2].split()[0].strip(",")) for each in fields]
        fields.append(f'{{ name = "rest", bits = {8 - sum(sizes) % 8}, const = 0 }}')
        fields.append('{ name = "sum", bits = 8, check = "sum8" }')
        marks = "" if usb else 'start = "@<"\nend = "@>"\nescape = { byte = 0x5C, xor = 0x20 }\n'
        order = f'bit_order = "{lot.choice(("msb", "lsb"))}"\nbyte_order = "{lot.choice(("big", "little"))}"\n'
        frames = [f"[frames.{name}]\n{marks}{order}fields = [{', '.join(fields) % tag}]\n"
                  for name, tag in (("order", 0x31), ("state", 0x32))]  # fmt: skip
        self.drawn.plans[f"{board}.plan.toml"] = "format = 1\n" + "".join(frames)
        when = "taken" if usb else lot.choice(("taken", "changed", "every"))
        self._tables.append(f"[boards.{board}.takes.order]\n" + "\n".join(takes) + "\n")
        self._tables.append(f'[boards.{board}.gives.state]\nwhen = "{when}"\nfields = {{ {", ".join(gives)} }}\n')


class SharedLots(Lots):
    """Draws Modbus boards that hang on one line, each with a unit of its own."""

    def _makes(self):
        return [self._modbus] * self._lot.randint(2, 4)

    def _board(self, board, firmware, link, host="", more=""):
        number = int(board.removeprefix("hut_"))
        if not number:
            self._line = link.partition("\n")[0]
        unit, shares = f"unit = {7 + number}", f'{self._line}\nshares = "hut_0"'
        super()._board(board, firmware, shares if number else link, unit, unit)
