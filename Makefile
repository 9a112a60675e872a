# Two commands on a fresh machine: `make demo` runs the main job, `make test` passes the tests.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin

.PHONY: demo test corpus fuzz soak lint docs screenshots bench clean

demo: $(VENV)/.installed
	$(BIN)/jovial-atlas demo marrowfen --month

test: $(VENV)/.tested
	$(BIN)/python -m pytest -n auto

# Sites with known truth, rendered by generators: what is read rightly, by generator and field. Where
# npm is there, a generator of its registry is among them.
corpus: $(VENV)/.corpus
	$(BIN)/python -m corpus build/corpus $$([ -d build/node/node_modules ] && echo --node build/node)

# Goes on until something is found, which then stands in tests/fuzz/corpus, or until it is ended.
fuzz: $(VENV)/.tested
	while ATLAS_FUZZ=5000 $(BIN)/python -m pytest -q -n auto tests/fuzz; do :; done

# Every step of every command that writes, and fifty rounds of commands at the same time: hours.
soak: $(VENV)/.tested
	ATLAS_SOAK=1 $(BIN)/python -m pytest -q -n auto tests/crash tests/cli/test_two_at_once.py

lint: $(VENV)/.developed
	$(BIN)/ruff check src tests tools benchmarks corpus
	$(BIN)/mypy
	$(BIN)/lint-imports

docs: $(VENV)/.developed
	$(BIN)/python tools/make_reference.py
	$(BIN)/python tools/make_man.py
	$(BIN)/python tools/make_rooms.py

screenshots: $(VENV)/.developed
	$(BIN)/python tools/make_screenshots.py

bench: $(VENV)/.tested
	@$(COMPILE)
	$(BIN)/python -m benchmarks

clean:
	rm -rf $(VENV) marrowfen

$(BIN)/python:
	@$(PYTHON) -c 'import sys; sys.exit(sys.version_info < (3, 11))' || \
	  { echo "Python 3.11 or newer is needed; name it with make PYTHON=python3.12 …" >&2; exit 1; }
	@$(PYTHON) -m venv $(VENV) || \
	  { echo "The venv module is missing; on Debian: apt-get install python3-venv" >&2; exit 1; }
	@$(BIN)/python -m pip install --quiet --upgrade pip

# An editable package is not compiled by pip, as an installed one is; commands would compile it anew
# at each start where Python may not write beside its sources.
COMPILE := $(BIN)/python -m compileall -q src

$(VENV)/.installed: $(BIN)/python pyproject.toml
	$(BIN)/python -m pip install --quiet --editable .
	@$(COMPILE)
	@touch $@

$(VENV)/.corpus: $(BIN)/python pyproject.toml
	$(BIN)/python -m pip install --quiet --editable '.[corpus]'
	@if command -v npm > /dev/null; then \
	  npm install --silent --prefix build/node hexo hexo-theme-landscape hexo-theme-fluid \
	    hexo-theme-butterfly hexo-renderer-ejs hexo-renderer-pug hexo-renderer-marked \
	    hexo-renderer-stylus hexo-generator-index hexo-generator-tag hexo-generator-archive \
	    hexo-generator-category vitepress @docusaurus/core @docusaurus/preset-classic; fi
	@touch $@

$(VENV)/.tested: $(BIN)/python pyproject.toml
	$(BIN)/python -m pip install --quiet --editable '.[test]'
	@$(COMPILE)
	@touch $@ $(VENV)/.installed

$(VENV)/.developed: $(BIN)/python pyproject.toml
	$(BIN)/python -m pip install --quiet --editable '.[test,dev]'
	@$(COMPILE)
	@touch $@ $(VENV)/.tested $(VENV)/.installed
