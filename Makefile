# SPDX-License-Identifier: Apache-2.0
# The front door. `make demo` and `make check` do all the set-up they need on a fresh Debian machine.
.PHONY: demo check build bench screenshots format clean

build: setup
	@cmake --preset release >/dev/null
	@cmake --build --preset release

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
