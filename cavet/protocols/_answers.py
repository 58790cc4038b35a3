"""What is answered by what: whether a message of the host is due an answer, and whether one of the board is that."""

from __future__ import annotations

from cavet.protocols._message import Message, words_of

MQTT_ANSWERS = {
    "connect": "connack", "subscribe": "suback", "unsubscribe": "unsuback", "pingreq": "pingresp", "pubrel": "pubcomp",
}  # fmt: skip
MQTT_ACKNOWLEDGED = {1: "puback", 2: "pubrec"}
"""What answers a publish, by its quality of service."""
FIRMATA_ANSWERS = {
    "protocol-version": "protocol-version",
    "report-firmware": "report-firmware",
    "capability-query": "capability-response",
    "analog-mapping-query": "analog-mapping-response",
    "pin-state-query": "pin-state-response",
    "i2c-request": "i2c-reply",
    "encoder-report-position": "encoder-position",
    "encoder-report-positions": "encoder-position",
    "stepper-report-position": "stepper-position",
    "stepper-to": "stepper-move-complete",
    "stepper-step": "stepper-move-complete",
    "steppers-to": "steppers-move-complete",
    "query-all-tasks": "all-tasks",
    "query-task": "task-state",
    "onewire-search-request": "onewire-search-reply",
    "onewire-search-alarms-request": "onewire-search-alarms-reply",
    "spi-transfer": "spi-reply",
    "spi-read": "spi-reply",
}
SAME = ("pin", "address", "device", "task", "device_id", "channel", "request_id")
"""Fields that an answer has in common with what was asked."""
FIRMATA_REFUSAL = "string-data"
READ_ONCE = 1
"""The mode of an I2C request that is answered once."""
BROADCAST = 0
LISTEN_ONLY = 4
"""The sub-function of Modbus diagnostics that is never answered. Source: application protocol, section 6.8.1."""

REFUSALS = {
    "exception_code": ("exception", 0), "return_code": ("return code", 1), "reason_code": ("reason code", 0x80),
    "reason_codes": ("reason code", 0x80), "stalled": ("the control pipe has stalled", True),
}  # fmt: skip
"""Fields in which an answer says no: what they are called, and from which number on.

Source: Modbus application protocol, section 7; MQTT 3.1.1, sections 3.2.2.3 and 3.9.3; MQTT 5.0, section 2.4; USB 2.0,
section 8.5.3.4."""


def is_answered(protocol: str, request: Message) -> bool:
    """Whether an answer is due to what the host says."""
    return _expected(protocol, request) is not None


def is_answer(protocol: str, request: Message, reply: Message) -> bool:
    """Whether what the board says can be the answer: a refusal or an exception is one, too."""
    name = _expected(protocol, request)
    if name is None:
        return False
    if protocol.startswith("modbus"):
        return _is_modbus_answer(request, reply)
    if refuses_anything(protocol, reply):
        return True
    return name == reply.NAME and all(_agrees(request, reply, field) for field in (*SAME, "packet_id"))


def refuses_anything(protocol: str, reply: Message) -> bool:
    """Whether what the board says refuses something, and does not tell what."""
    return protocol == "firmata" and reply.NAME == FIRMATA_REFUSAL


def refusal(reply: Message) -> str:
    """Why an answer says no, in the standard's words; "" where it does not."""
    for field, (called, least) in REFUSALS.items():
        found = getattr(reply, field, ())
        for code in found if isinstance(found, tuple) else (found,):
            if code is True:
                return called
            if code >= least:
                words = words_of(type(reply), field).get(code, "")
                return f"{called} {code:02X}{f', {words}' if words else ''}"
    return ""


def _expected(protocol: str, request: Message) -> str | None:
    """The name of the message that answers; `None` where none is due."""
    name = request.NAME
    if protocol.startswith("modbus"):
        unit_alone = protocol == "modbus-tcp" or getattr(request, "unit", None) != BROADCAST
        mute = name == "diagnostics" and getattr(request, "sub_function", None) == LISTEN_ONLY
        return name if unit_alone and not mute else None
    if protocol == "scpi":
        return "response" if name == "query" else None
    if protocol in ("mqtt", "mqtt5"):
        return MQTT_ACKNOWLEDGED.get(getattr(request, "qos", 0)) if name == "publish" else MQTT_ANSWERS.get(name)
    if name == "i2c-request" and getattr(request, "mode", None) != READ_ONCE:
        return None
    return FIRMATA_ANSWERS.get(name) if protocol == "firmata" else None


def _is_modbus_answer(request: Message, reply: Message) -> bool:
    if any(not _agrees(request, reply, field) for field in ("unit", "transaction")):
        return False
    return _function(request) == _function(reply)


def _function(message: Message) -> int | None:
    """The function code: of the message's kind, or that of an exception and of functions that are not public."""
    found: int | None = getattr(message, "function", getattr(message, "FUNCTION", None))
    return found


def _agrees(request: Message, reply: Message, field: str) -> bool:
    """Whether both have the same in a field, as far as both have it."""
    asked, told = getattr(request, field, None), getattr(reply, field, None)
    return asked is None or told is None or asked == told
