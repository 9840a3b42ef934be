# Two commands do all the set-up: `make demo` and `make test`.
PYTHON ?= python3
VENV := .venv
# Bytecode is kept within this folder alone; each process would compile all of it again.
export PYTHONDONTWRITEBYTECODE :=
RUN := $(VENV)/bin

.PHONY: demo test kernels beside-kernels off-screen on-screen test-quick soak bench truth lint screenshots thumbnails install uninstall \
	clean

# The renderer compiles while what it does not need is installed.
demo:
	@$(MAKE) --no-print-directory -j 2 kernels $(VENV)/ready
	@$(RUN)/mat-shelf prepare
	@$(RUN)/mat-shelf demo

# Side by side: what tests need is installed, and those that need no renderer are run, while it compiles; and one window is
# driven on a screen beside all others.
test:
	@$(MAKE) --no-print-directory -j 3 beside-kernels off-screen on-screen

beside-kernels: lint
	QT_QPA_PLATFORM=offscreen $(RUN)/pytest -m "plain and not long"

kernels: $(VENV)/core
	@PYTHONPATH=src $(RUN)/python -c 'from mat_shelf.rendering.warmup import is_warm, warm_up; is_warm() or warm_up(print)'

off-screen: $(VENV)/tools kernels
	QT_QPA_PLATFORM=offscreen $(RUN)/pytest -n auto --dist worksteal -m "not plain and not on_screen and not long"

on-screen: $(VENV)/tools kernels
	QT_QPA_PLATFORM=xcb xvfb-run -a $(RUN)/pytest -m "on_screen and not long" $$(grep -l on_screen tests/test_*.py)

# What renders little or nothing, in under a minute.
test-quick: $(VENV)/tools
	QT_QPA_PLATFORM=offscreen $(RUN)/pytest -n auto -m "not renders"

# What takes too long for every change.
soak: $(VENV)/tools $(VENV)/browser
	QT_QPA_PLATFORM=offscreen $(RUN)/pytest -n auto --dist worksteal --timeout 1200 -m long

bench: $(VENV)/tools
	@$(RUN)/mat-shelf bench

truth: $(VENV)/tools
	QT_QPA_PLATFORM=offscreen $(RUN)/python scripts/truth.py

lint: $(VENV)/tools
	$(RUN)/ruff check src tests scripts benchmarks
	$(RUN)/ruff format --check src tests scripts benchmarks
	$(RUN)/lint-imports
	$(RUN)/python scripts/check_words.py
	cd src/mat_shelf && $(CURDIR)/$(RUN)/numpydoc lint $$(find numerics optics geometry patterns marks fills scene rendering \
		exchange commands -name "*.py")

screenshots: $(VENV)/ready
	QT_QPA_PLATFORM=offscreen $(RUN)/python scripts/screenshots.py

# Renders the shipped pictures of swatches whose recipes changed.
thumbnails: $(VENV)/ready
	$(RUN)/python scripts/swatch_thumbnails.py

PIP = $(RUN)/python -m pip install --no-compile --disable-pip-version-check --progress-bar on -c constraints.txt
DEV = import tomllib; print(*tomllib.load(open("pyproject.toml", "rb"))["project"]["optional-dependencies"]["dev"], sep="\n")

# What the renderer needs, which can then compile.
$(VENV)/core: pyproject.toml constraints.txt scripts/system_packages.sh
	@sh scripts/system_packages.sh
	@test -x $(RUN)/python || $(PYTHON) -m venv $(VENV)
	@echo "Installing the Python packages into $(VENV), and compiling the renderer; the first time takes two minutes or so"
	@$(PIP) numpy scipy numba embreex pyoidn trimesh pydantic pillow platformdirs manifold3d
	@touch $@

# What the program needs.
$(VENV)/ready: $(VENV)/core
	@$(PIP) -e .
	@touch $@

# What tests and benches need as well; the program itself is left alone, since it may be running.
$(VENV)/tools: $(VENV)/ready
	@$(RUN)/python -c '$(DEV)' > $(VENV)/dev.txt
	@$(PIP) -r $(VENV)/dev.txt
	@sh scripts/gltf_validator.sh $(VENV)
	@touch $@

# A browser and what drives it, for the page of a turn.
$(VENV)/browser: $(VENV)/tools
	@sh scripts/system_packages.sh chromium chromium-driver
	@$(PIP) selenium
	@touch $@

# Enters Mat Shelf in the desktop's menu for this user (or PREFIX=/usr/local for all), running from this folder.
PREFIX ?= $(HOME)/.local

install: $(VENV)/ready
	install -Dm644 src/mat_shelf/app/icon/mat-shelf.svg $(PREFIX)/share/icons/hicolor/scalable/apps/mat-shelf.svg
	install -Dm644 data/mat-shelf.metainfo.xml $(PREFIX)/share/metainfo/org.mat_shelf.mat_shelf.metainfo.xml
	install -Dm644 data/mat-shelf-mime.xml $(PREFIX)/share/mime/packages/mat-shelf.xml
	mkdir -p $(PREFIX)/share/applications
	sed 's|^Exec=mat-shelf|Exec="$(CURDIR)/$(RUN)/mat-shelf"|' data/mat-shelf.desktop > $(PREFIX)/share/applications/mat-shelf.desktop
	-update-mime-database $(PREFIX)/share/mime 2>/dev/null

uninstall:
	rm -f $(PREFIX)/share/icons/hicolor/scalable/apps/mat-shelf.svg $(PREFIX)/share/metainfo/org.mat_shelf.mat_shelf.metainfo.xml
	rm -f $(PREFIX)/share/mime/packages/mat-shelf.xml $(PREFIX)/share/applications/mat-shelf.desktop

clean:
	rm -rf $(VENV) build src/*.egg-info
