/* SPDX-License-Identifier: Apache-2.0 */
/* A temporary folder for one test, with a state, a trash and a home of its own. */
#ifndef TESTS_SANDBOX_H
#define TESTS_SANDBOX_H

#include <setjmp.h>
#include <stdarg.h>
#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <cmocka.h>

/* What the weaker system, os/posix.c, cannot do is not asked of it. */
#ifdef OLVIDO_OS_POSIX
#define ON_LINUX_ONLY() skip()
#define MOVING_CALL     "linkat" /* what an exclusive rename begins with */
#else
#define ON_LINUX_ONLY() ((void)0)
#define MOVING_CALL     "renameat2"
#endif

struct sandbox {
    char path[64]; /* absolute, canonical */
};

/* For cmocka: *state becomes a struct sandbox. */
int sandbox_setup(void **state);
int sandbox_teardown(void **state);

/* The absolute path of a name in it; valid for the next sixteen calls. */
const char *in(const struct sandbox *s, const char *name);

void make_dir(const struct sandbox *s, const char *name);
/* A file with this text, last modified so many days ago. Its directory must be there. */
void make_file(const struct sandbox *s, const char *name, const char *text, double days_old);
void set_age(const struct sandbox *s, const char *name, double days_old);
bool exists(const struct sandbox *s, const char *name);
/* Frees it when the sandbox goes; returns it. */
char *sandbox_keep(char *memory);
/* The file's text, the sandbox's. Fails the test when it cannot be read. */
char *slurp(const struct sandbox *s, const char *name);
void overwrite(const struct sandbox *s, const char *name, const char *text, size_t len);
/* Whether it may take longer, to try more: in `make check-all`. */
bool is_thorough(void);
/* How many of the many places where a test could stop it is to pass over: 1, or more in slow builds. */
unsigned stride(void);
unsigned count_entries(const struct sandbox *s, const char *name);

/* Writes policy.yaml: "olvido: 1", and behind it these pieces (the last is NULL), in which @ stands for the
 * sandbox's path. */
void write_policy(const struct sandbox *s, ...);
/* A policy of one rule, "scratch", under tides/scratch: what is older than 30 days is discarded. With its
 * directory. */
void make_scratch_policy(const struct sandbox *s);

#define assert_contains(text, part) assert_true_because(strstr((text), (part)) != NULL, (text), (part))
#define assert_lacks(text, part)    assert_true_because(strstr((text), (part)) == NULL, (text), (part))
void assert_true_because(bool holds, const char *text, const char *part);

#endif
