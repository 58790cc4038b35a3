"""Campaigns: a check under many seeds, defects and faults, spread over processes, told in order whoever ran them."""

from __future__ import annotations

import functools
import re
from collections.abc import Iterator, Sequence
from pathlib import Path

import msgspec

from cavet.benchfile import CheckSettings, Setup, load_bench
from cavet.checks._carrying import Came, Case, RoutineAct, act_of, carry_out
from cavet.checks._faults import draw
from cavet.checks._hosting import expected_of, forbidden_of, host
from cavet.checks._small import Smaller
from cavet.record import check_new
from cavet.wording import WrongError, unknown

WALK = "walk"


class Wanted(msgspec.Struct, frozen=True, kw_only=True):
    """What is wanted besides what the bench file says; `None` for what that says."""

    seeds: int | None = None
    defects: tuple[tuple[str, ...], ...] | None = None
    faults: int | None = None
    seed: str | None = None
    records: Path | None = None
    """The folder for the records of runs that do not hold."""


def defect_sets(text: str, known: Sequence[str], place: str) -> tuple[tuple[str, ...], ...]:
    """`A+B,C` as sets of defects; an empty one, or `-`, is the bench as it is. Raises `WrongError`."""
    sets = tuple(
        tuple(name.strip() for name in part.split("+") if name.strip() not in ("", "-")) for part in text.split(",")
    )
    for name in (name for each in sets for name in each):
        if name not in known:
            raise unknown(place, name, known, none="none: the bench has no defects")
    return sets


class Order(msgspec.Struct, frozen=True, kw_only=True):
    """A run that is to be done, by whoever does it: it can be sent to another process."""

    bench: Path
    case: Case
    shows: tuple[str, ...] = ()
    """The checks of which its record is asked."""
    is_campaign: bool = False
    record: Path | None = None
    """Where its record is kept, if it does not hold."""


class Done(msgspec.Struct, frozen=True, kw_only=True):
    """What came of an order: of the run, and of the smallest one that still fails, where it is one of a campaign."""

    came: Came
    small: Came | None = None
    routine: str | None = None
    """A file of routines whose first one fails by itself."""
    record: Path | None = None


def with_checks(setup: Setup) -> Setup:
    """A bench with its checks; with the walk, where it has none."""
    return setup if setup.checks else msgspec.structs.replace(setup, checks={WALK: CheckSettings(name=WALK, walk=True)})


def with_walk(setup: Setup) -> tuple[Setup, str]:
    """A bench with a check that walks all its outputs, and its name."""
    found = next((check.name for check in setup.checks.values() if check.walk is True), None)
    if found is not None:
        return setup, found
    name = next(
        f"{WALK}{more}" for more in ("", *range(1, len(setup.checks) + 2)) if f"{WALK}{more}" not in setup.checks
    )
    return msgspec.structs.replace(setup, checks={**setup.checks, name: CheckSettings(name=name, walk=True)}), name


def chosen_checks(setup: Setup, names: Sequence[str]) -> list[CheckSettings]:
    """Those of these names; all where none is named. Where all that are named only look at the records of others,
    those come along. Raises `WrongError`."""
    known = setup.checks
    for name in names:
        if name not in known:
            raise unknown("check", name, known)
    found = [known[name] for name in dict.fromkeys(names)] or list(known.values())
    if any(check.acts for check in found):
        return found
    return [*(check for check in known.values() if check.acts and not check.program), *found]


def orders_of(bench: Path, setup: Setup, checks: Sequence[CheckSettings], wanted: Wanted) -> list[Order]:
    """All runs, in their order: check by check, set of defects by set of defects, seed by seed. Raises `WrongError`."""
    shows = tuple(check.name for check in checks if check.shows and not check.acts)
    if wanted.records is not None and not wanted.records.is_dir():
        raise WrongError("--records", found=str(wanted.records), expected="a folder that is there")
    return [order for check in checks if check.acts for order in _orders_of(bench, setup, check, wanted, shows)]


def _orders_of(
    bench: Path, setup: Setup, check: CheckSettings, wanted: Wanted, shows: tuple[str, ...]
) -> Iterator[Order]:
    base = setup.seed if wanted.seed is None else wanted.seed
    count = check.seeds if wanted.seeds is None else wanted.seeds
    faults = check.faults if wanted.faults is None else wanted.faults
    sets = (check.defects if wanted.defects is None else wanted.defects) or ((),)
    if check.program:
        if faults:
            raise WrongError(f"checks.{check.name}.faults", found=faults, expected="0: a program runs in real time")
        expected_of(setup, check)  # all conditions are read before anything runs
        forbidden_of(setup, check)
        for defects in sets:
            for number in range(1, count + 1):
                case = Case(check=check.name, seed=base if count == 1 else f"{base}-{number}", defects=defects)
                yield Order(bench=bench, case=case, shows=shows, record=_record_of(case, wanted))
        return
    act = act_of(setup, check)
    span = carry_out(setup, Case(check=check.name, seed=base)).t if faults else 0.0
    for defects in sets:
        for number in range(1, count + 1):
            seed = base if count == 1 else f"{base}-{number}"
            drawn = draw(setup, act.hosts(), seed, faults, span) if faults else ()
            case = Case(check=check.name, seed=seed, defects=defects, faults=drawn)
            is_campaign = count > 1 or bool(faults) or sets != ((),)
            record = _record_of(case, wanted)
            yield Order(bench=bench, case=case, shows=shows, is_campaign=is_campaign, record=record)


def _record_of(case: Case, wanted: Wanted) -> Path | None:
    """Where the record of a run is to be kept, if it does not hold. Raises `WrongError` where it can't be."""
    if wanted.records is None:
        return None
    path = wanted.records / record_name(case)
    check_new(path, force=True)
    return path


def record_name(case: Case) -> str:
    """What the file of a run's record is called."""
    words = "-".join([case.check, *case.defects, case.seed])
    return re.sub(r"[^\w.-]+", "_", words) + ".record"


@functools.lru_cache(maxsize=4)
def _setup_at(path: Path) -> Setup:
    return with_checks(load_bench(path).setup)


def do(order: Order) -> Done:
    """Do a run, and keep its record where that is wanted. Raises `WrongError`."""
    return keep_record(order, done_here(order))


def done_here(order: Order) -> Done:
    """Do a run, without its record; one of a campaign that fails is made small. Raises `WrongError`."""
    setup = _setup_at(order.bench)
    shows = [setup.checks[name] for name in order.shows]
    check = setup.checks[order.case.check]
    if check.program:
        return _hosted(order, setup, check, shows)
    came = carry_out(setup, order.case, shows)
    if came.held or not order.is_campaign:
        return Done(came=came)
    case = Smaller(lambda case: not carry_out(setup, case).held).of(order.case)
    small = carry_out(setup, case, whole=True)
    if small.held:  # it hangs on boards that were not there
        case = Smaller(lambda case: not carry_out(setup, case, whole=True).held).of(order.case)
        small = carry_out(setup, case, whole=True)
    act = act_of(setup, setup.checks[case.check])
    routine = act.text(case) if isinstance(act, RoutineAct) else None
    return Done(came=came, small=small, routine=routine)


def _hosted(order: Order, setup: Setup, check: CheckSettings, shows: Sequence[CheckSettings]) -> Done:
    """Have a program run. Its record is written while it runs, since no second run of it is the same."""
    came = host(msgspec.structs.replace(setup, seed=order.case.seed), check, order.case, shows, order.record)
    if came.held and order.record is not None:
        _new(order.record)
    return Done(came=came, record=None if came.held else order.record)


def keep_record(order: Order, done: Done) -> Done:
    """Keep the record of a run that did not hold, on this machine: it is carried out once more. Where that can't be,
    its reason says so."""
    if order.record is None or done.came.held or done.record is not None:
        return done
    setup = _setup_at(order.bench)
    try:
        carry_out(setup, order.case, [setup.checks[name] for name in order.shows], record=_new(order.record))
    except (WrongError, OSError) as error:
        _new(order.record)
        came = msgspec.structs.replace(done.came, why=f"{done.came.why}; {error}")
        return msgspec.structs.replace(done, came=came)
    return msgspec.structs.replace(done, record=order.record)


def _new(path: Path) -> Path:
    """A path at which no record is any more, nor what belongs to one."""
    for more in ("", "-wal", "-shm"):
        path.with_name(path.name + more).unlink(missing_ok=True)
    return path
