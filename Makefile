# Gannet. `make demo` and `make test` are all that is needed; both set themselves up.
SHELL := /bin/bash
PY := .venv/bin/python
export DJANGO_SETTINGS_MODULE ?= gannet.settings.demo

.PHONY: demo test test-fuzz dev lint types screenshots bench build setup api clean

demo: setup build
	@$(PY) -m gannet demo $(if $(KEEP),--keep)

test: setup build chromium lint
	@DJANGO_SETTINGS_MODULE=gannet.settings.test $(PY) -m pytest

# 2,000 cases of the API's description, others each time; `make test` tries 300.
test-fuzz: setup
	@DJANGO_SETTINGS_MODULE=gannet.settings.test GANNET_FUZZ_CASES=$(or $(CASES),2000) $(PY) -m pytest tests/app/test_fuzz.py

dev: setup
	@tools/dev

lint: setup
	@tools/lint

screenshots: setup build chromium
	@$(PY) tools/screenshots.py

bench: setup build
	@$(PY) -m bench

build: setup
	@tools/build

api: setup
	@tools/api

setup:
	@tools/setup

.PHONY: chromium
chromium:
	@tools/chromium

clean:
	rm -rf .venv .setup frontend/node_modules frontend/dist var
