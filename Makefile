# make demo: set up, fill the demo, serve it.   make test: set up, run all tests.
PYTHON ?= $(shell command -v python3.11 || command -v python3)
VENV := .venv
PY := $(VENV)/bin/python

.PHONY: demo serve warm test lint abuse bench styles screenshots footage clean
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

# compiles what is not in the user's cache folder yet; the application does so by itself, beside its pages
warm: $(VENV)/ready
	@$(PY) -m velvet_seam.work.warm

demo: $(VENV)/ready
	$(VENV)/bin/velvet-seam demo

serve: $(VENV)/ready
	$(VENV)/bin/velvet-seam serve

# Chromium as Debian builds it for work without a window: it draws no frame, tabs and address bar that nobody sees
/usr/bin/chromium-headless-shell:
	apt-get update -qq
	apt-get -o DPkg::Lock::Timeout=120 install -y -qq --no-install-recommends chromium-headless-shell

test: $(VENV)/dev warm /usr/bin/chromium-headless-shell
	$(PY) -m pytest -n 2 --dist loadscope

lint: $(VENV)/dev
	$(VENV)/bin/ruff check .
	$(VENV)/bin/ruff format --check .
	$(VENV)/bin/mypy
	$(VENV)/bin/lint-imports

# kills, nonsense, damaged files and many pages at once, against a program of its own on this machine;
# SHARE=0.1 does a tenth
SHARE ?= 1
abuse: $(VENV)/dev warm
	$(PY) -m tests.abuse --share $(SHARE)

bench: $(VENV)/dev warm
	$(PY) -m bench

screenshots: $(VENV)/dev warm
	$(PY) -m docs.take_screenshots

# only when styles, scripts or icons change; the results are committed
styles:
	cd styles && npm ci --ignore-scripts && python3 vendor.py && npm run build

# draws the demo footage again
footage: $(VENV)/ready
	$(PY) -m velvet_seam.demo.draw

clean:
	rm -rf $(VENV) .demo
