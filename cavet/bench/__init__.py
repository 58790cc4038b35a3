"""A bench that runs: put together, supervised, its diagnosis, and the thread it may live in."""

from cavet.bench._asking import (
    LOOK_SECONDS,
    MOVE_SECONDS,
    Heard,
    ask_and_follow,
    check_link,
    followed,
    read_afresh,
    sent_for,
    until_ready,
    value_for,
)
from cavet.bench._building import BROKER, build_world
from cavet.bench._by_hand import Answer
from cavet.bench._diagnosis import Diagnosis, StageState
from cavet.bench._endpoint import Carrier, Endpoint, places_of, simulated_boards, variables_of
from cavet.bench._faulting import needed_for
from cavet.bench._host_side import HostLink
from cavet.bench._meaning import Meanings, Telling, meanings
from cavet.bench._meddling import FAULTS
from cavet.bench._naming import AddressNames, address_names
from cavet.bench._origins import SIDES, LinkStream, LinkStreams, Origins
from cavet.bench._past import PastBench, PastStandings
from cavet.bench._ramping import ramp
from cavet.bench._running import RunningBench
from cavet.bench._saying import Said, say
from cavet.bench._spoiling import LOOKS as SPOILING_LOOKS
from cavet.bench._spoiling import Spoiling, read_spoiling, request_in, spoiled
from cavet.bench._spoken import ONE_AT_A_TIME, Spoken, UsbSpoken, spoken
from cavet.bench._standing import Standing, Standings, shows_itself
from cavet.bench._tape import LinkTape, Placed, Tape
from cavet.bench._then import PastTrails
from cavet.bench._thread import BenchThread, LoopThread
from cavet.bench._walk import Walk, Walked

__all__ = [
    "BROKER",
    "FAULTS",
    "LOOK_SECONDS",
    "MOVE_SECONDS",
    "ONE_AT_A_TIME",
    "SIDES",
    "SPOILING_LOOKS",
    "AddressNames",
    "Answer",
    "BenchThread",
    "Carrier",
    "Diagnosis",
    "Endpoint",
    "Heard",
    "HostLink",
    "LinkStream",
    "LinkStreams",
    "LinkTape",
    "LoopThread",
    "Meanings",
    "Origins",
    "PastBench",
    "PastStandings",
    "PastTrails",
    "Placed",
    "RunningBench",
    "Said",
    "Spoiling",
    "Spoken",
    "StageState",
    "Standing",
    "Standings",
    "Tape",
    "Telling",
    "UsbSpoken",
    "Walk",
    "Walked",
    "address_names",
    "ask_and_follow",
    "build_world",
    "check_link",
    "followed",
    "meanings",
    "needed_for",
    "places_of",
    "ramp",
    "read_afresh",
    "read_spoiling",
    "request_in",
    "say",
    "sent_for",
    "shows_itself",
    "simulated_boards",
    "spoiled",
    "spoken",
    "until_ready",
    "value_for",
    "variables_of",
]
