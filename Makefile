# Each target does all its own set-up: a virtual environment in .venv, and for the tests the servers they talk to.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
SERVER_LOG := .rooms-tests.log
SERVER_PACKAGES := samba samba-ad-dc samba-ad-provision samba-dsdb-modules samba-vfs-modules winbind ldap-utils \
	ldb-tools python3-samba

.PHONY: demo check test fuzz lint bench docs screenshots wheel server database hosts clean

demo: $(VENV)/installed
	rm -rf lowmere-demo
	$(BIN)/adzeguard demo lowmere-demo

# What a change must pass.
check: test lint

# Two streams of about the same length, one for each core: the tests that talk to the directory server, those of single rooms
# and the first of those that drive the whole program; and the others of these. What they cover is measured in the programs
# they start too, branch by branch, and said at the end.
FIRST_OF_THE_WHOLE := tests/system/test_[a-e]*.py
# Compiled first, as an installed program is: the tests start it some thousand times, and some machines forbid it to itself.
test: $(VENV)/installed-test server database hosts
	@$(BIN)/python -m compileall -q src; $(BIN)/coverage erase; \
	( $(BIN)/coverage run -m pytest -m server; served=$$?; \
	  $(BIN)/coverage run -m pytest -m "not server" --ignore tests/system; rooms=$$?; \
	  $(BIN)/coverage run -m pytest -m "not server" $(FIRST_OF_THE_WHOLE); exit $$((served | rooms | $$?)) ) > $(SERVER_LOG) 2>&1 & \
	beside=$$!; \
	$(BIN)/coverage run -m pytest -m "not server" tests/system --ignore-glob '$(FIRST_OF_THE_WHOLE)'; whole=$$?; \
	wait $$beside; code=$$?; cat $(SERVER_LOG); rm -f $(SERVER_LOG); \
	$(BIN)/coverage combine --quiet; $(BIN)/coverage report | tail -n 40; exit $$((whole | code))

# The same property tests with two hundred times as many examples, for a night: files, answers, descriptors, rules.
fuzz: $(VENV)/installed-test
	PROPERTY_TESTS=long $(BIN)/python -m pytest tests/core tests/directory tests/report tests/workspace -k "not server"

lint: $(VENV)/installed-test
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports

bench: $(VENV)/installed-test server
	$(BIN)/python -m compileall -q src
	$(BIN)/python -m bench

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

# The same for the database that a team shares a store in.
database:
	@if ls /usr/lib/postgresql/*/bin/initdb >/dev/null 2>&1; then :; \
	elif [ "$$(id -u)" = 0 ] && command -v apt-get >/dev/null; then \
		apt-get update -q && DEBIAN_FRONTEND=noninteractive apt-get install -y -q --no-install-recommends postgresql; \
	else echo "The tests against a real PostgreSQL are skipped; as root: apt-get install postgresql"; fi

# The same for the clients by which a sandbox of OpenSSH, PAM and sudo is used; what runs in it, it installs itself.
hosts:
	@if command -v ssh >/dev/null && command -v ssh-agent >/dev/null && command -v nsenter >/dev/null; then :; \
	elif [ "$$(id -u)" = 0 ] && command -v apt-get >/dev/null; then \
		apt-get update -q && DEBIAN_FRONTEND=noninteractive apt-get install -y -q --no-install-recommends openssh-client util-linux; \
	else echo "The tests against a real Linux host are skipped; as root: apt-get install openssh-client util-linux"; fi

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
