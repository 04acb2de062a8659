# Everything that a fresh machine needs, and everything that can be run. Needs Python 3.11 or 3.12, Node 20 or later, apt.
PYTHON ?= $(shell command -v python3.11 || command -v python3.12 || command -v python3)
PY := .venv/bin/python
# Installs in a tenth of the time; what it installs is pinned by hashes, and pip does it where it cannot.
UV := uv==0.13.9
STATIC := grainpocket/web/static/index.html
TYPES := frontend/src/api/schema.d.ts
PORT ?= 8000

# Compiled once and kept: where that is turned off, each process that begins compiles all of it anew (seven seconds of work).
export PYTHONDONTWRITEBYTECODE :=

.PHONY: train-split test-all test-python test-training api-check train-split-on train-split-off demo test dev serve build bench shots lint api demo-audio lock clean chromium
.DEFAULT_GOAL := demo

demo: build                       ## Start the application with its demo data
	$(PY) -m grainpocket demo --port $(PORT)

serve: build                      ## Start the application on ./data
	$(PY) -m grainpocket serve --port $(PORT)

build: .venv/.ready .venv/.kernels $(STATIC)

# Compiled once here rather than by every process that begins.
.venv/.kernels: .venv/.ready $(wildcard grainpocket/core/effects/*.py grainpocket/core/shape/*.py)
	$(PY) -c "from grainpocket.core import effects; from grainpocket.core.shape import warming; effects.warm(44100); warming.warm(44100)"
	touch $@

.venv/.ready: requirements.lock
	$(PYTHON) -m venv .venv || (apt-get update -qq && apt-get -o DPkg::Lock::Timeout=300 install -y -qq python3-venv >/dev/null && $(PYTHON) -m venv .venv)
	$(PY) -m pip install --quiet --disable-pip-version-check $(UV)
	UV_COMPILE_BYTECODE_TIMEOUT=600s .venv/bin/uv pip install --quiet --compile-bytecode --python $(PY) --require-hashes -r requirements.lock || \
		$(PY) -m pip install --quiet --disable-pip-version-check --require-hashes -r requirements.lock
	touch $@

frontend/node_modules/.ready: frontend/package.json frontend/package-lock.json
	cd frontend && npm ci --no-audit --no-fund --loglevel=error
	touch $@

# The client's types are made from the API's document, never by hand.
$(TYPES): docs/openapi.json frontend/node_modules/.ready
	cd frontend && npm run --silent api

$(STATIC): frontend/node_modules/.ready $(TYPES) $(shell find frontend/src frontend/public -type f) frontend/index.html frontend/vite.config.ts
	cd frontend && npm run --silent build

chromium:
	@command -v chromium >/dev/null || (apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get -o DPkg::Lock::Timeout=300 install -y -qq chromium >/dev/null)

lint: .venv/.ready frontend/node_modules/.ready $(TYPES)
	.venv/bin/ruff check .
	.venv/bin/ruff format --check .
	.venv/bin/mypy
	PYTHONPATH=. .venv/bin/lint-imports
	cd frontend && npm run --silent check && npm run --silent test

# The client is made from the API's document; a stale one fails here.
api-check: .venv/.ready
	$(PY) -m grainpocket openapi .venv/openapi.json
	cmp docs/openapi.json .venv/openapi.json || (echo "docs/openapi.json is stale: run make api" && false)

api: .venv/.ready frontend/node_modules/.ready ## Write the API's document anew, and the TypeScript types from it
	$(PY) -m grainpocket openapi docs/openapi.json
	$(MAKE) --no-print-directory $(TYPES)

# As many streams as cores: with more, what a hand does in the browser comes too late for the ear that the tests are.
STREAMS ?= 2
PYTEST := $(PY) -m pytest -n $(STREAMS) --dist loadfile --no-loadscope-reorder

test:                             ## Every check and test of the program, the browser's too
	@$(MAKE) --no-print-directory -j2 --output-sync=target test-python lint api-check

test-all: test test-training      ## And those of training and of the benchmarks

test-python: build chromium
	$(PYTEST)

test-training: build
	@command -v fluidsynth espeak-ng flite >/dev/null || (apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get -o DPkg::Lock::Timeout=300 \
		install -y -qq fluidsynth fluid-soundfont-gm espeak-ng flite >/dev/null)
	$(PYTEST) -m training tests/training tests/bench

dev: .venv/.ready frontend/node_modules/.ready $(TYPES) ## Reloading: front end on :5173, server restarted when Python changes
	$(PY) -m grainpocket make-demo --data .demo
	trap 'kill 0' EXIT INT TERM; \
	GRAINPOCKET_DATA=.demo GRAINPOCKET_PORT=$(PORT) GRAINPOCKET_DEV_PORTS=5173 $(PY) -m grainpocket dev & \
	cd frontend && GRAINPOCKET_SERVER=http://127.0.0.1:$(PORT) npm run --silent dev

bench: build chromium             ## Figures side by side; see docs/bench.md
	$(PY) -m pip install --quiet --disable-pip-version-check -r bench/requirements.txt
	$(PY) -m training.split.background while $(PY) -m bench

shots: build chromium             ## The pictures in docs/screenshots, from the demo data
	$(PY) -m bench.shots

demo-audio: .venv/.ready          ## Render the demo records again
	@command -v fluidsynth >/dev/null || (apt-get update -qq && apt-get -o DPkg::Lock::Timeout=300 install -y -qq fluidsynth fluid-soundfont-gm >/dev/null)
	$(PY) -m grainpocket.demo.author

BANK ?= .bank
TRAIN := nice -n 15 $(PY) -m training.split

train-split: .venv/.ready         ## Render songs and fit the separation network anew (hours; goes on where it stopped)
	apt-get -o DPkg::Lock::Timeout=300 install -y -qq fluidsynth fluid-soundfont-gm musescore-general-soundfont-small \
		opl3-soundfont csound-soundfont mma espeak-ng flite >/dev/null
	$(PY) -m pip install --quiet --disable-pip-version-check torch==2.13.0 pyworld==0.3.5 "setuptools<80" pedalboard
	$(TRAIN).songs $(BANK)/songs --seed 1 --songs 98
	$(TRAIN).songs $(BANK)/songs --seed 2 --songs 70
	$(TRAIN).voices $(BANK)/voices --seed 1 --voices 90
	$(TRAIN).songs $(BANK)/watched --seed 9 --songs 10 --watched
	$(TRAIN).voices $(BANK)/watched --seed 9 --voices 8 --watched
	$(TRAIN).fit $(BANK)/run --bank $(BANK)/songs $(BANK)/voices --watched $(BANK)/watched --steps 2500
	$(TRAIN).export $(BANK)/run grainpocket/core/split/models/learned.onnx
	$(TRAIN).score $(BANK)/watched

TRAIN_HOME = $(or $(GRAINPOCKET_TRAIN),$(HOME)/.cache/grainpocket-train)

# An environment of its own, so that what training needs never stands where the program runs.
$(TRAIN_HOME)/venv/.ready: requirements.lock | .venv/.ready
	@command -v mma fluidsynth flite espeak-ng >/dev/null && test -e /usr/share/sounds/sf2/OPL-3_FM_128M.sf2 || \
		(apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get -o DPkg::Lock::Timeout=300 install -y -qq fluidsynth \
		fluid-soundfont-gm musescore-general-soundfont-small opl3-soundfont csound-soundfont mma espeak-ng flite >/dev/null)
	test -d $(TRAIN_HOME)/venv || .venv/bin/uv venv --quiet --python $(PY) $(TRAIN_HOME)/venv
	.venv/bin/uv pip install --quiet --python $(TRAIN_HOME)/venv/bin/python -r requirements.lock torch==2.13.0 pyworld==0.3.5 \
		"setuptools<80" pedalboard
	touch $@

train-split-on: $(TRAIN_HOME)/venv/.ready ## Render songs and fit the separation network beside all other work, from where it stopped
	$(TRAIN_HOME)/venv/bin/python -m training.split.background on

train-split-off: .venv/.ready     ## End that cleanly
	$(PY) -m training.split.background off

lock:                             ## Renew requirements.lock from pyproject.toml
	$(PYTHON) -m venv .venv-lock && .venv-lock/bin/pip install -q $(UV)
	.venv-lock/bin/uv pip compile pyproject.toml --all-extras -q --generate-hashes --no-annotate -o requirements.lock
	rm -rf .venv-lock

clean:
	rm -rf .venv frontend/node_modules grainpocket/web/static .demo
