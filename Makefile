# Each target does all its own set-up: a virtual environment in .venv, and for the tests the servers they talk to.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
SERVER_PACKAGES := samba samba-ad-dc samba-ad-provision samba-dsdb-modules samba-vfs-modules winbind ldap-utils \
	ldb-tools python3-samba
NATIVE_PACKAGES := gcc libc6-dev libldap-dev libsasl2-dev libsasl2-modules-gssapi-mit krb5-user libkrb5-dev

.PHONY: demo check test test-long coverage lint bench docs screenshots wheel server native database hosts clean

demo: $(VENV)/installed
	rm -rf lowmere-demo
	$(BIN)/adzeguard demo lowmere-demo

# What a change must pass, what is told soonest first.
check: lint test

# Two processes, one for each core; what shares a server stays in one of them. Compiled first, as an installed program is:
# some machines forbid it to itself (PYTHONDONTWRITEBYTECODE).
PYTEST := $(BIN)/python -m pytest -n 2 --dist loadgroup
test: $(VENV)/installed-test server native database hosts
	@$(BIN)/python -m compileall -q src
	$(PYTEST)

# Every write, every kill, property tests with two hundred times as many examples: for a night.
test-long: $(VENV)/installed-test server native database hosts
	@$(BIN)/python -m compileall -q src
	LONG_TESTS=1 $(PYTEST)

# How much of the program the tests reach, branch by branch; less than stands there today is a failure.
coverage: $(VENV)/installed-test server native database hosts
	$(BIN)/coverage erase
	$(PYTEST) --cov --cov-report=
	$(BIN)/coverage report

lint: $(VENV)/installed-test
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports

bench: $(VENV)/installed-test server
	$(BIN)/python -m compileall -q src
	$(BIN)/python -m bench
	$(BIN)/python -m bench.figures

docs: $(VENV)/installed-test
	$(BIN)/python docs/make_reference.py

wheel: $(VENV)/installed-test
	$(BIN)/python -m build --wheel

# The real directory server comes from Debian's packages where root can install it; elsewhere its tests are skipped.
server:
	@if command -v samba >/dev/null && /usr/bin/python3 -c 'import samba' 2>/dev/null && command -v ldapsearch >/dev/null; then :; \
	elif [ "$$(id -u)" = 0 ] && command -v apt-get >/dev/null; then \
		apt-get update -q && DEBIAN_FRONTEND=noninteractive apt-get install -y -q --no-install-recommends $(SERVER_PACKAGES); \
	else echo "The tests against a real directory server are skipped; as root: apt-get install $(SERVER_PACKAGES)"; fi

# The system's LDAP and Kerberos libraries, by which a ticket signs in: Python's part of them is compiled against
# Debian's packages, without making it quick, which would take four times as long.
native: $(VENV)/installed-test
	@if $(BIN)/python -c 'import ldap, gssapi, krb5' 2>/dev/null && command -v kinit >/dev/null; then :; \
	elif [ "$$(id -u)" = 0 ] && command -v apt-get >/dev/null; then \
		apt-get update -q && DEBIAN_FRONTEND=noninteractive apt-get install -y -q --no-install-recommends $(NATIVE_PACKAGES) \
		&& CFLAGS="-O0 -g0" $(BIN)/python -m pip install --quiet --disable-pip-version-check --editable '.[native,shares-by-ticket]'; \
	else echo "The tests of Kerberos are skipped; as root: apt-get install $(NATIVE_PACKAGES), then pip install .[native,shares-by-ticket]"; fi

# The same for the database that a team shares a store in.
database:
	@if ls /usr/lib/postgresql/*/bin/initdb >/dev/null 2>&1; then :; \
	elif [ "$$(id -u)" = 0 ] && command -v apt-get >/dev/null; then \
		apt-get update -q && DEBIAN_FRONTEND=noninteractive apt-get install -y -q --no-install-recommends postgresql; \
	else echo "The tests against a real PostgreSQL are skipped; as root: apt-get install postgresql"; fi

# The same for the clients by which a sandbox of OpenSSH, PAM and sudo is used. What runs in it is not installed here: its
# packages are fetched, and the sandbox, which reaches no network, installs them.
HOST_PACKAGES := sudo openssh-server pamtester libnss-extrausers libnss-winbind
PACKAGES := $(or $(XDG_CACHE_HOME),$(HOME)/.cache)/adzeguard-tests/packages
FETCH := apt-get install -y -q --no-install-recommends --download-only -o APT::Sandbox::User=root \
	-o Dir::Cache::archives=$(PACKAGES) $(HOST_PACKAGES)
hosts:
	@if [ "$$(id -u)" != 0 ] || ! command -v apt-get >/dev/null; then \
		echo "The tests against a real Linux host are skipped; they need root, and Debian's openssh-client and util-linux"; exit 0; fi; \
	if ! command -v ssh >/dev/null || ! command -v ssh-agent >/dev/null || ! command -v nsenter >/dev/null; then \
		apt-get update -q && DEBIAN_FRONTEND=noninteractive apt-get install -y -q --no-install-recommends openssh-client util-linux || exit 1; fi; \
	mkdir -p $(PACKAGES)/partial; $(FETCH) >/dev/null 2>&1 || { apt-get update -q && $(FETCH); }

# Debian without python3-venv cannot make an environment with pip; its own package is asked for then.
$(VENV)/bin/python:
	$(PYTHON) -m venv $(VENV) || { [ "$$(id -u)" = 0 ] && apt-get update -q && apt-get install -y -q python3-venv && $(PYTHON) -m venv $(VENV); }

$(VENV)/installed: $(VENV)/bin/python pyproject.toml
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --editable .
	touch $@

$(VENV)/installed-test: $(VENV)/bin/python pyproject.toml
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --editable '.[test,lint]'
	touch $@ $(VENV)/installed

clean:
	rm -rf $(VENV) build dist lowmere-demo .pytest_cache .mypy_cache .ruff_cache .hypothesis
