# SPDX-License-Identifier: Apache-2.0
# The front door. `make demo` and `make check` do all the set-up they need on a fresh Debian machine.
.PHONY: demo check check-all dates quick torture hostile build install bench screenshots format clean

PREFIX ?= /usr/local

# The program and the library, as quickly as possible.
build: setup
	@cmake --preset release >/dev/null
	@cmake --build --preset release --target olvido

# Into $(DESTDIR)$(PREFIX): the program, the library with its headers and pkg-config file, the documents; the program is
# optimised as a whole.
install: setup
	@cmake --preset installed -DCMAKE_INSTALL_PREFIX=$(PREFIX) >/dev/null
	@cmake --build --preset installed --target olvido
	@DESTDIR=$(DESTDIR) cmake --install build/installed

demo: build
	@tools/tour

check: setup
	@tools/check

# The second compiler, the analysers, the suite under sanitizers and with os/posix.c, fuzzing: an hour.
check-all: setup
	@tools/check-all

# The suite on other days: leap days, the turn of the year, of summer time, of 2038; an hour.
dates: setup
	@tools/dates

# Without what takes long: for the inner loop.
quick:
	@tools/setup
	@cmake --preset debug >/dev/null
	@cmake --build --preset debug
	@ctest --preset debug --parallel 2 --label-exclude slow

# Kills, faults and power cuts at every call of every scenario; an hour or two.
torture: setup
	@tools/torture

# Another user exchanges names beside each act and command, 100,000 times each; a quarter of an hour.
hostile: setup
	@tools/hostile

# Measures what `make install` installs.
bench: setup
	@cmake --preset installed >/dev/null
	@cmake --build --preset installed >/dev/null
	@bench/run

screenshots: build
	@tools/setup --screenshots
	@tools/screenshots

format:
	@git ls-files '*.c' '*.h' | xargs clang-format -i

.PHONY: setup
setup:
	@tools/setup

clean:
	@rm -rf build
