# Gannet. `make demo` and `make test` are all that is needed; both set themselves up.
SHELL := /bin/bash
PY := .venv/bin/python
export DJANGO_SETTINGS_MODULE ?= gannet.settings.demo

.PHONY: demo test test-fuzz test-long dev lint types screenshots bench bench-short build setup setup-test api clean

demo: setup build
	@$(PY) -m gannet demo $(if $(KEEP),--keep)

# Two processes; a file's tests stay together, since each process that drives a browser
# makes a server of its own. What many tests begin with is made while the code is looked over.
test: setup-test build chromium
	@rm -rf .setup/made && mkdir -p .setup/made
	@$(PY) -m tests.made .setup/made > .setup/made.log 2>&1 & making=$$!; \
	  tools/lint && { wait $$making || { cat .setup/made.log >&2; exit 1; }; }
	@GANNET_MADE=$(CURDIR)/.setup/made DJANGO_SETTINGS_MODULE=gannet.settings.test \
	  $(PY) -m pytest -n 2 --dist loadfile

# 2,000 cases of the API's description, others each time; `make test` tries 300.
test-fuzz: setup-test
	@DJANGO_SETTINGS_MODULE=gannet.settings.test GANNET_FUZZ_CASES=$(or $(CASES),2000) $(PY) -m pytest tests/app/test_fuzz.py

# What tries random things goes on for longer: all messages, reports, edits and hours.
test-long: setup-test build chromium
	@GANNET_LONG_TESTS=1 DJANGO_SETTINGS_MODULE=gannet.settings.test $(PY) -m pytest -n 2 --dist loadfile

dev: setup
	@tools/dev

lint: setup-test
	@tools/lint

screenshots: setup-test build chromium
	@$(PY) tools/screenshots.py

bench: setup-test build
	@$(PY) -m bench

bench-short: setup-test build
	@BENCH_TICKETS=24000 BENCH_SECONDS=10 $(PY) -m bench servicetime log timers queue pages worker desk

build: setup
	@tools/build

api: setup
	@tools/api

setup:
	@tools/setup

setup-test:
	@tools/setup test

.PHONY: chromium
chromium:
	@tools/chromium

clean:
	rm -rf .venv .setup frontend/node_modules frontend/dist var
