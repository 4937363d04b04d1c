# SPDX-License-Identifier: Apache-2.0
# The front door. `make demo` and `make check` do all the set-up they need on a fresh Debian machine.
.PHONY: demo check build install bench screenshots format clean

PREFIX ?= /usr/local

build: setup
	@cmake --preset release >/dev/null
	@cmake --build --preset release

# Into $(DESTDIR)$(PREFIX): the program, the library with its headers and pkg-config file, the documents.
install: build
	@cmake --preset release -DCMAKE_INSTALL_PREFIX=$(PREFIX) >/dev/null
	@DESTDIR=$(DESTDIR) cmake --install build/release

demo: build
	@tools/tour

check: setup
	@tools/check

bench: build
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
