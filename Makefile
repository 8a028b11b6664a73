# Everything runs in an environment of its own in .venv; the first call sets it up.
PYTHON ?= python3
BIN := .venv/bin
READY := .venv/.ready
LOOPS := .venv/.loops
# The machine's own pip fills the environment: Debian ships venv without the part that brings pip.
PIP := $(PYTHON) -m pip --quiet --disable-pip-version-check --python $(BIN)/python
# Tests and pictures never open windows on the user's own display.
XVFB := xvfb-run -a -s "-screen 0 1280x800x24"
PYTEST := nice -n 19 $(XVFB) $(BIN)/python -m pytest

# Where it is set, every process would compile the program's sources anew, for half a second each.
unexport PYTHONDONTWRITEBYTECODE

.PHONY: demo install uninstall test test-window-a-r test-window-s-z test-core test-project-a-o test-project-p-z test-exchange lint bench storm mutants screenshots verify lock clean

demo: $(LOOPS)
	@if [ -n "$$DISPLAY$$WAYLAND_DISPLAY" ]; then $(BIN)/tartan; \
	else $(XVFB) $(BIN)/python scripts/pictures.py build/demo; fi

# Into the user's own folders: a program of its own, icon, menu entry, file type, man page.
PREFIX ?= $(HOME)/.local
PROGRAM := $(PREFIX)/lib/tartan

install:
	sh scripts/system_packages.sh
	$(PYTHON) -m venv --without-pip --clear $(PROGRAM)
	$(PYTHON) -m pip --quiet --disable-pip-version-check --python $(PROGRAM)/bin/python \
	  install --require-hashes -r requirements.lock
	$(PYTHON) -m pip --quiet --disable-pip-version-check --python $(PROGRAM)/bin/python \
	  install --no-deps --no-build-isolation .
	$(PROGRAM)/bin/python -m tartan.core.loops
	mkdir -p $(PREFIX)/bin
	ln -sf $(PROGRAM)/bin/tartan $(PREFIX)/bin/tartan
	$(PROGRAM)/bin/tartan at-home

# FORGET=1 takes materials, preferences and unsaved work too.
uninstall:
	-$(PROGRAM)/bin/tartan at-home --remove $(if $(FORGET),--forget)
	rm -rf $(PROGRAM) $(PREFIX)/bin/tartan

# Three parts beside each other, each of which prints when it ends, the longest first and lint as
# the last: tests of the window wait now and then for pauses and processes. More at a time take
# longer in all, each from the others' caches. All run at the lowest priority: solvers and reports,
# which have a lower one than who asked for them, would starve beside the other parts.
# One thread of arithmetic each: those of one part would spin on the core of another.
test: export OPENBLAS_NUM_THREADS = 1
test: export NUMBA_NUM_THREADS = 1
test: $(LOOPS)
	$(MAKE) --jobs=3 --output-sync=target test-core test-window-a-r test-project-a-o \
	  test-window-s-z test-project-p-z test-exchange lint

test-window-a-r: $(LOOPS)
	$(PYTEST) tests/desktop/test_[a-r]*.py

test-window-s-z: $(LOOPS)
	$(PYTEST) tests/desktop/test_[s-z]*.py

test-core: $(LOOPS)
	$(PYTEST) tests/core tests/verify

test-project-a-o: $(LOOPS)
	$(PYTEST) tests/project/test_[a-o]*.py

test-project-p-z: $(LOOPS)
	$(PYTEST) tests/project/test_[p-z]*.py

test-exchange: $(LOOPS)
	$(PYTEST) tests/exchange

lint: $(READY)
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports
	$(BIN)/python scripts/file_sizes.py
	$(BIN)/python scripts/docstrings.py

# All figures, or those of some rooms, such as ROOMS="start margins".
bench: $(LOOPS)
	$(XVFB) $(BIN)/python -m bench.run $(ROOMS)

# Damaged input, kills, bad disks and random use for a time; SECONDS and SEED can be given. Faults
# are kept in build/storm. The fuzzer is not there for every machine: without it the rest goes on.
SECONDS ?= 600
storm: $(LOOPS)
	-$(PIP) install --require-hashes --only-binary :all: -r storm/fuzzer.lock
	$(XVFB) $(BIN)/python -m storm --seconds $(SECONDS) $(SEED:%=--seed %)

# Small faults put into the mechanics: COUNT of them a group of modules, drawn by SEED.
COUNT ?= 40
mutants: $(READY)
	$(PYTHON) -m venv build/mutants-env
	build/mutants-env/bin/pip install --quiet --require-hashes -r scripts/mutants.lock
	$(BIN)/python scripts/mutants.py --count $(COUNT) $(SEED:%=--seed %)

screenshots: $(LOOPS)
	$(XVFB) $(BIN)/python scripts/pictures.py docs/screenshots

verify: $(LOOPS)
	$(BIN)/tartan verify

$(READY): requirements.lock pyproject.toml scripts/system_packages.sh
	sh scripts/system_packages.sh
	$(PYTHON) -m venv --without-pip --clear .venv
	$(PIP) install --require-hashes -r requirements.lock
	$(PIP) install --no-deps --no-build-isolation -e .
	$(BIN)/python -m compileall -q src
	touch $(READY)

# Loops whose sources are others since are compiled before they are waited for.
$(LOOPS): $(READY) $(wildcard src/tartan/core/*.py src/tartan/core/*/*.py)
	$(BIN)/python -m tartan.core.loops
	touch $(LOOPS)

# Renews the lock from pyproject.toml; index addresses stay out of it.
lock: $(READY)
	$(PYTHON) -m venv build/lock-env
	build/lock-env/bin/pip install --quiet pip-tools
	build/lock-env/bin/pip-compile --quiet --generate-hashes --extra dev --strip-extras --allow-unsafe --upgrade \
	  --no-emit-index-url --no-emit-find-links --no-emit-trusted-host --no-header \
	  -o requirements.lock pyproject.toml

clean:
	rm -rf .venv build
