# Two commands are enough for a newcomer: make demo, make test.

PYTHON ?= python3
BIN := .venv/bin
SHOWN := .venv/shown
READY := .venv/ready

.PHONY: demo deb test lint bench judge demo-data screenshots lock clean

# The desk opens as soon as its first picture can be made; what else is compiled is compiled behind it.
demo: $(SHOWN)
	@tools/system-libraries
	@nice $(BIN)/python -m bluffline.view.warm & \
	if [ -n "$$DISPLAY$$WAYLAND_DISPLAY" ]; then $(BIN)/bluffline --demo; \
	else $(BIN)/bluffline --demo --picture out/desk.png; fi

test: $(READY)
	@tools/system-libraries --tests
	$(BIN)/pytest

lint: $(READY)
	$(BIN)/ruff check
	$(BIN)/mypy
	$(BIN)/mypy --config-file bench/mypy.ini bench/*.py
	$(BIN)/lint-imports

bench: $(READY)
	@tools/system-libraries
	$(BIN)/python bench/table.py

judge: $(READY)
	@tools/system-libraries
	$(BIN)/python judge/run.py

demo-data: $(READY)
	$(BIN)/python -m bluffline.demo.programme

screenshots: $(READY)
	@tools/system-libraries
	$(BIN)/python docs/take_screenshots.py
	$(BIN)/python docs/draw_kinds.py

PIP := $(BIN)/pip install --quiet --disable-pip-version-check
# What modules are compiled to is kept even where the environment keeps none: each start would compile them anew.
KEPT := PYTHONDONTWRITEBYTECODE=

# What the desk needs to run, and the loops of its first picture.
$(SHOWN): requirements-demo.lock pyproject.toml
	@PYTHON=$(PYTHON) tools/system-libraries
	[ -d .venv ] || $(PYTHON) -m venv .venv
	$(PIP) --no-compile --require-hashes -r requirements-demo.lock
	$(PIP) --no-deps --no-build-isolation -e .
	@echo "Compiling the loops of the first picture, half a minute; it is done once."
	$(KEPT) $(BIN)/python -m bluffline.view.warm --first
	@touch $@

# And what developers need beside it.
$(READY): requirements.lock $(SHOWN)
	$(PIP) --require-hashes -r requirements.lock
	@echo "Compiling the other measuring loops, about a minute; it is done once."
	$(KEPT) $(BIN)/python -m bluffline.view.warm
	$(BIN)/python -m compileall -q src
	@touch $@

LOCKED := --quiet --generate-hashes --no-emit-index-url --no-emit-trusted-host --no-emit-find-links --no-header --strip-extras \
	--allow-unsafe

# Resolve the locked packages anew, after a change to pyproject.toml.
lock: $(READY)
	$(BIN)/pip install --quiet pip-tools
	$(BIN)/pip-compile $(LOCKED) --extra dev --extra build --output-file requirements.lock pyproject.toml
	$(BIN)/pip-compile $(LOCKED) --extra build --constraint requirements.lock --output-file requirements-demo.lock pyproject.toml

# A Debian package of all of it, for this machine's Debian and processor.
deb: $(READY)
	$(BIN)/python packaging/build.py deb dist

clean:
	rm -rf .venv out build dist
