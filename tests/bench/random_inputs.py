"""Benches of inputs that are drawn by lot: what the host reads has to be what is there, by any protocol and form."""

from tests.bench.random_benches import NUMBERS, ORDERS, Lots

LIMITS = ((0, 100), (0, 3000), (-40, 125), (1, 5), (-1, 1), (0, 1), (-1000, 1000), (20, 80))
UNITS = ("mm", "degC", "V", "", "%", "l/min", "rpm", "bar")
NOISE_COUNTS = 1023
"""A gauge wavers by one of so many."""
GRAIN = 1e-4
"""So much of a quantity's range does not count."""


class Inputs(Lots):
    """Draws one bench from a seed. `readings` has for each point its quantity, and how far it may be off; `contacts`
    the part that is worked by hand, or the quantity and the limit above which it closes."""

    def __init__(self, seed):
        self.quantities, self.readings, self.contacts = {}, {}, {}
        super().__init__(f"inputs {seed}")

    def _begin(self, board):
        super()._begin(board)
        self._counts = 2 ** int(self._tables[-1].partition("analog_bits = ")[2].split()[0]) - 1
        self._analog = self._lot.sample(range(30, 38), 8)

    def _quantity(self):
        low, high = self._lot.choice(LIMITS)
        name, unit = f"tide_{len(self.quantities)}", self._lot.choice(UNITS)
        start = self._lot.uniform(low, high)
        self._tables.append(f'[rig.{name}]\nstart = {start:.3f}\nrange = [{low}, {high}]\nunit = "{unit}"\n')
        self.quantities[name] = (low, high)
        return name, low, high, f'range = [{low}, {high}]\nunit = "{unit}"\n'

    def _contact(self, board, where):
        """A contact at a pin; `where` says where its point is, by its name, its pin, its mode."""
        name, pin, kind = (
            f"contact_{len(self.contacts)}",
            self._pins.pop(),
            self._lot.choice(("button", "limit", "door")),
        )
        wires = f"pin = {pin}\n"
        if kind == "limit":
            quantity, low, high, _ = self._quantity()
            limit = round(low + (high - low) * self._lot.uniform(0.2, 0.8), 3)
            wires += f'closes = "{quantity} > {limit}"\n'
            self.contacts[name] = (quantity, limit)
        else:
            self.contacts[name] = (f"{board}.{name}", ("release", "press") if kind == "button" else ("shut", "open"))
        self._tables.append(f'[boards.{board}.parts.{name}]\nkind = "{kind}"\n{wires}')
        mode, active = ("pull-up", "low") if kind == "button" else ("input", "high")
        keys = f'board = "{self._host_of(board)}"\nkind = "contact"\nactive = "{active}"\n'
        self._points.append(f"[points.{name}]\n{keys}{where(name, pin, mode)}\n")

    def _reading(self, board, where, grain, *, wire=None):
        """A reading of a quantity; `where` says where its point is, by its name and its quantity. Where it is told no
        finer, `grain` is what that takes away."""
        quantity, low, high, keys = self._quantity()
        name = f"reading_{len(self.readings)}"
        ends = f"wire = [{low / wire:.0f}, {high / wire:.0f}]\n" if wire else ""
        keys = f'board = "{self._host_of(board)}"\nkind = "reading"\n{keys}'
        self._points.append(f"[points.{name}]\n{keys}{ends}{where(name, quantity)}\n")
        self.readings[name] = (quantity, grain + GRAIN * (high - low) + 1e-6 * max(abs(low), abs(high)))

    def _gauge(self, board, where, wire=""):
        """A reading by a gauge at a pin with a converter."""
        quantity, low, high, keys = self._quantity()
        name, pin = f"reading_{len(self.readings)}", self._analog.pop()
        gauge = f'kind = "gauge"\npin = {pin}\nof = "{quantity}"\nrange = [{low}, {high}]\n'
        self._tables.append(f"[boards.{board}.parts.{name}]\n{gauge}")
        self._points.append(
            f'[points.{name}]\nboard = "{self._host_of(board)}"\nkind = "reading"\n{keys}{wire}{where(name, pin)}\n'
        )
        self.readings[name] = (quantity, 3 * (high - low) / min(self._counts, NOISE_COUNTS))

    # what boards speak

    def _firmata(self, board):
        self._board(board, "firmata", f'kind = "serial"\nrate = {self._lot.choice((9600, 57600, 115200))}')
        self._several(
            lambda: self._contact(board, lambda name, pin, mode: f'pin = {pin}\nmode = "{mode}"'),
            lambda: self._gauge(board, lambda name, pin: f"pin = {pin}"),
        )

    def _modbus(self, board):
        lot = self._lot
        link = lot.choice(('kind = "tcp"', 'kind = "serial"\nrate = 19200', 'kind = "serial"\nframing = "ascii"'))
        self._board(board, "modbus", link, "unit = 7", more="unit = 7")
        self._input, self._register, self._bits = 0, lot.choice((0, 60000)), lot.sample(range(16), 16)
        tables = [f'table = "{table}-registers"\n' for table in ("input", "holding")]
        bits = lot.choice(tables)

        def cell(name, keys, more):
            self._tables.append(f"[boards.{board}.map.{name}]\n{keys}{more}\n")
            return keys

        def contact(name, pin, mode):
            self._input += lot.randint(1, 3)
            keys = f'table = "discrete-inputs"\naddress = {self._input}\n'
            if lot.random() < 0.4:
                keys = f'{bits}address = 64000\ndata = "bit"\nbit = {self._bits.pop()}\n'
            return cell(name, keys, f'pin = {pin}\nmode = "{mode}"')

        def register(data):
            keys = f'{lot.choice(tables)}address = {self._register}\ndata = "{data}"\n'
            self._register += NUMBERS[data]
            return keys + "".join(f'{order}_order = "{lot.choice(ORDERS)}"\n' for order in ("word", "byte"))

        def whole():
            data, scale = lot.choice(("int16", "int32", "int64")), lot.choice((1, 0.1, 0.5))

            def where(name, quantity):
                return cell(name, register(data), f'of = "{quantity}"\nscale = {scale}')

            self._reading(board, where, 0.5 * scale, wire=scale)

        def real():
            data, as_volts = lot.choice(("float32", "float64")), lot.random() < 0.5

            def where(name, quantity):
                low, high = self.quantities[quantity]
                of = f"0.5 + 4 * ({quantity} - {low}) / ({high} - {low})" if as_volts else f"({quantity})"
                keys = cell(name, register(data), f'of = "{of}"')
                return f"{keys}wire = [0.5, 4.5]\n" if as_volts else keys

            self._reading(board, where, 0)

        def gauge():
            def where(name, pin):
                self._register += 1
                keys = f'table = "input-registers"\naddress = {self._register - 1}\n'
                return cell(name, keys, f'pin = {pin}\nmode = "analog"')

            self._gauge(board, where, f"wire = [0, {self._counts}]\n")

        self._several(lambda: self._contact(board, contact), whole, real, gauge)

    def _scpi(self, board):
        """An instrument measures its supplies alone: another board in its place."""
        self._firmata(board)

    def _mqtt(self, board):
        own = f'[boards.{board}.station]\nbase = "x/{board}"\nhealth = "health"\nevery = "1 s"\n'
        own += f'version = "{self._lot.choice(("3.1.1", "5.0"))}"\n'
        self._board(board, "mqtt", 'kind = "mqtt"', f'base = "x/{board}"\nhealth = "health"', own)

        def measured():
            decimals = self._lot.choice((None, 0, 1, 3, 6))

            def where(name, quantity):
                more = "" if decimals is None else f"decimals = {decimals}\n"
                self._tables.append(f'[boards.{board}.health.{name}]\nof = "{quantity}"\n{more}')
                return f'state = "health"\npath = "{name}"'

            self._reading(board, where, 0.5 * 10 ** -(2 if decimals is None else decimals))

        self._several(measured)

    def _format(self, board):
        lot = self._lot
        plan = f'plan = "{board}.plan.toml"\n'
        self._board(board, "plan", f'kind = "{lot.choice(("serial", "tcp"))}"', plan, plan)
        fields, gives = ['{ name = "tag", bits = 8, const = 50 }'], []

        def field(name, bits, given, more=""):
            fields.append(f'{{ name = "{name}", bits = {bits}{more} }}')
            gives.append(f"{name} = {{ {given} }}")
            return f'state = "state.{name}"'

        def measured():
            bits, scale = lot.choice((16, 24, 32)), lot.choice((1, 0.1))
            more = f', type = "int", scale = {scale}'
            self._reading(board, lambda name, quantity: field(name, bits, f'of = "{quantity}"', more), 0.5 * scale)

        self._several(
            lambda: self._contact(
                board, lambda name, pin, mode: field(name, 8, f'pins = "{pin}", mode = "{mode}"')
            ),
            measured,
            lambda: self._gauge(
                board, lambda name, pin: field(name, 16, f'pins = "{pin}", mode = "analog"'),
                f"wire = [0, {self._counts}]\n",
            ),
        )  # fmt: skip
        fields.append('{ name = "sum", bits = 8, check = "sum8" }')
        order = f'byte_order = "{lot.choice(("big", "little"))}"\n'
        marks = 'start = "@<"\nend = "@>"\nescape = { byte = 0x5C, xor = 0x20 }\n'
        text = f"format = 1\n[frames.state]\n{marks}{order}fields = [{', '.join(fields)}]\n"
        self.drawn.plans[f"{board}.plan.toml"] = text
        when = lot.choice(('"changed"', '"every"\nevery = "0.3 s"'))
        self._tables.append(f"[boards.{board}.gives.state]\nwhen = {when}\nfields = {{ {', '.join(gives)} }}\n")
