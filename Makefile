# Two commands: `make demo` and `make test`. Both install what they need.
.PHONY: demo test lint setup fuzz bench screenshots

# Keep the address the same from one start to the next: make demo PORT=8400
PORT ?=
RESET ?=

setup:
	@scripts/setup

demo: setup
	@exec .venv/bin/epistem demo $(if $(PORT),--port $(PORT)) $(if $(RESET),--reset)

lint: setup
	.venv/bin/ruff check .
	.venv/bin/ruff format --check .
	.venv/bin/mypy
	.venv/bin/lint-imports --no-cache
	PATH=$$PWD/.venv/node:$$PATH npm --prefix frontend run --silent types

# Three, since they wait for much else than the two cores that this is measured on.
test: lint
	.venv/bin/pytest -n 3 --dist loadfile

fuzz: setup
	EPISTEM_FUZZ_EACH=100 .venv/bin/pytest tests/fuzz

bench: setup
	.venv/bin/python bench/overhead.py
	.venv/bin/python bench/verdict.py
	.venv/bin/python bench/stand_in.py
	.venv/bin/python bench/checks.py
	.venv/bin/python bench/cases.py
	.venv/bin/python bench/look_up.py
	.venv/bin/python bench/chain.py
	.venv/bin/python bench/draft.py
	.venv/bin/python bench/honesty.py
	.venv/bin/python bench/backup.py

screenshots: setup
	.venv/bin/python -m tests.browser.screenshots docs/screenshots
