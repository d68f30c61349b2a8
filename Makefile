# Two commands are enough for a newcomer: make demo, make test.

PYTHON ?= python3
BIN := .venv/bin
READY := .venv/ready

.PHONY: demo test lint bench demo-data screenshots lock clean

demo: $(READY)
	@tools/system-libraries
	@if [ -n "$$DISPLAY$$WAYLAND_DISPLAY" ]; then $(BIN)/bluffline --demo; \
	else $(BIN)/bluffline --demo --picture out/desk.png; fi

test: $(READY)
	@tools/system-libraries --tests
	$(BIN)/pytest

lint: $(READY)
	$(BIN)/ruff check
	$(BIN)/mypy
	$(BIN)/lint-imports

bench: $(READY)
	@tools/system-libraries
	$(BIN)/python bench/run.py
	$(BIN)/python bench/gaps.py
	$(BIN)/python bench/treating.py
	$(BIN)/python bench/hands.py
	$(BIN)/python bench/memory.py

demo-data: $(READY)
	$(BIN)/python -m bluffline.demo.programme

screenshots: $(READY)
	@tools/system-libraries
	$(BIN)/python docs/take_screenshots.py
	$(BIN)/python docs/draw_kinds.py

$(READY): requirements.lock pyproject.toml
	@PYTHON=$(PYTHON) tools/system-libraries
	$(PYTHON) -m venv .venv
	$(BIN)/pip install --quiet --disable-pip-version-check --require-hashes -r requirements.lock
	$(BIN)/pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
	@echo "Compiling the measuring loops, about a minute; it is done once."
	$(BIN)/python -m bluffline.view.warm
	$(BIN)/python -m compileall -q src
	@touch $@

# Resolve the locked packages anew, after a change to pyproject.toml.
lock: $(READY)
	$(BIN)/pip install --quiet pip-tools
	$(BIN)/pip-compile --quiet --extra dev --generate-hashes --no-emit-index-url --no-emit-trusted-host --no-emit-find-links \
		--no-header --strip-extras --allow-unsafe --output-file requirements.lock pyproject.toml

clean:
	rm -rf .venv out build dist
