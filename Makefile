# Everything here works on a machine with nothing but Python 3.11 and make.
PYTHON ?= $(shell command -v python3.11 || command -v python3)
BIN := .venv/bin
# Most of what is installed is never used: only what the workbench loads is compiled, at the end.
QUIET := install --quiet --disable-pip-version-check --no-compile --no-deps

.PHONY: setup develop demo test attack stalled speed lint shots tools clean

setup: .venv/ready

.venv/ready: requirements.lock pyproject.toml
	@$(PYTHON) -c 'import sys; sys.exit(sys.version_info < (3, 11))' || \
		{ echo "setup: found $$($(PYTHON) --version), expected Python 3.11 or newer; set PYTHON=…" >&2; exit 1; }
	$(PYTHON) -m venv .venv
	$(BIN)/pip $(QUIET) --require-hashes -r requirements.lock
	$(BIN)/pip $(QUIET) --no-build-isolation -e .
	@PYTHONDONTWRITEBYTECODE= $(BIN)/python -c "import cavet.commands.demo, cavet.workbench.app"
	@touch $@

# What tests, lint and figures need beside it.
develop: .venv/develop

.venv/develop: .venv/ready requirements-develop.lock
	$(BIN)/pip $(QUIET) --require-hashes -r requirements-develop.lock
	@touch $@

demo: setup
	$(BIN)/cavet demo

# The system packages that some tests drive the program with; where they can't be had, those tests say so and are skipped.
tools:
	@command -v tmux >/dev/null || { [ "$$(id -u)" = 0 ] && command -v apt-get >/dev/null \
		&& { apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends tmux >/dev/null; }; } \
		|| echo "tools: tmux is not here and can't be installed: the console tests are skipped"
	@PATH="$$PATH:/usr/sbin"; command -v mosquitto >/dev/null || { [ "$$(id -u)" = 0 ] && command -v apt-get >/dev/null \
		&& { apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends mosquitto >/dev/null; }; } \
		|| echo "tools: no broker is here and none can be installed: the tests against a real one are skipped"

# Compiled first: a hundred short processes are started, also where Python is told to write no bytecode.
test: develop tools
	@$(BIN)/python -m compileall -q cavet tests
	$(BIN)/python -m tests

attack: develop
	$(BIN)/python -m tests.attack

stalled: develop
	$(BIN)/python -m tests.stalled

lint: develop
	$(BIN)/ruff check cavet tests
	$(BIN)/mypy
	$(BIN)/lint-imports

speed: develop
	$(BIN)/python -m tests.speed

shots: develop
	$(BIN)/python -m tests.shots

clean:
	rm -rf .venv build
