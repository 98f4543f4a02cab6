# make demo: set up, fill the demo, serve it.   make test: set up, run all tests.
PYTHON ?= $(shell command -v python3.11 || command -v python3)
VENV := .venv
PY := $(VENV)/bin/python
KERNELS := $(shell grep -ls "import numba" velvet_seam/core/*/*.py)

.PHONY: demo serve test lint abuse bench styles screenshots footage clean
.DEFAULT_GOAL := demo

$(VENV)/ready: requirements.txt pyproject.toml
	@$(PYTHON) -c "import sys; sys.exit(sys.version_info[:2] != (3, 11))" || { echo "Python 3.11 is needed. Name yours with: make PYTHON=/path/to/python3.11"; exit 1; }
	test -x $(PY) || $(PYTHON) -m venv $(VENV)
	$(PY) -m pip install --quiet --disable-pip-version-check --require-hashes -r requirements.txt
	$(PY) -m pip install --quiet --disable-pip-version-check --no-build-isolation --no-deps -e .
	@touch $@

$(VENV)/dev: requirements-dev.txt $(VENV)/ready
	$(PY) -m pip install --quiet --disable-pip-version-check --require-hashes -r requirements-dev.txt
	@touch $@

# compiles the kernels once; Numba keeps the result beside the source. It looks only at the file a kernel is
# in, not at those it calls: what was kept is thrown away when any of them has changed
$(VENV)/warm: $(VENV)/ready $(KERNELS)
	@echo "Compiling the kernels (once, one to three minutes)"
	@find velvet_seam -name '*.nb[ci]' -delete
	$(PY) -m velvet_seam.work.warm
	@touch $@

demo: $(VENV)/warm
	$(VENV)/bin/velvet-seam demo

serve: $(VENV)/warm
	$(VENV)/bin/velvet-seam serve

/usr/bin/chromium:
	apt-get update -qq
	apt-get -o DPkg::Lock::Timeout=120 install -y -qq --no-install-recommends chromium

test: $(VENV)/dev $(VENV)/warm /usr/bin/chromium
	$(PY) -m pytest || { test $$? -eq 75 && echo "A test hung (see above); once more" && $(PY) -m pytest; }

lint: $(VENV)/dev
	$(VENV)/bin/ruff check .
	$(VENV)/bin/ruff format --check .
	$(VENV)/bin/mypy
	$(VENV)/bin/lint-imports

# kills, nonsense, damaged files and many pages at once, against a program of its own on this machine;
# SHARE=0.1 does a tenth
SHARE ?= 1
abuse: $(VENV)/dev $(VENV)/warm
	$(PY) -m tests.abuse --share $(SHARE)

bench: $(VENV)/dev $(VENV)/warm
	$(PY) -m bench

screenshots: $(VENV)/dev $(VENV)/warm
	$(PY) -m docs.take_screenshots

# only when styles, scripts or icons change; the results are committed
styles:
	cd styles && npm ci --ignore-scripts && python3 vendor.py && npm run build

# draws the demo footage again
footage: $(VENV)/warm
	$(PY) -m velvet_seam.demo.draw

clean:
	rm -rf $(VENV) .demo
