/* SPDX-License-Identifier: Apache-2.0 */
/* Driving the built program as its users do. */
#ifndef TESTS_COMMAND_H
#define TESTS_COMMAND_H

#include "support/sandbox.h"

struct outcome {
    int status;            /* exit status, or 128 + signal */
    const char *out, *err; /* the sandbox's, as long as it is there; on a terminal, both are in `out` */
};

/* Runs `olvido --state SANDBOX/state ARGUMENTS…` (ends with NULL) in the sandbox, without standard input. */
struct outcome olvido(const struct sandbox *s, ...);
/* The same; fails the test unless it ends with this status. */
struct outcome olvido_ends(const struct sandbox *s, int status, ...);
/* The same on a pseudo-terminal of so many columns. Each time a question appears ("? "), the next line of
 * `answers` is typed; after the last one the input ends, as with Ctrl-D. A line that begins with '!' is run
 * in the sandbox by a shell first, while the question stands. */
struct outcome olvido_on_terminal(const struct sandbox *s, unsigned columns, const char *answers, ...);
/* Through a shell, for redirections; "$O" is the program with its state. */
struct outcome shell(const struct sandbox *s, const char *script);
/* The same, stopping at the first command that fails; fails the test unless all went well. */
void shell_ok(const struct sandbox *s, const char *script);
/* The same without stopping: what a script needs first stands in `stage`, once for many scripts. */
void shell_staged(const struct sandbox *s, const char *stage, const char *script);
/* The same with what scripts/readings.sh has for it. */
void readings_ok(const struct sandbox *s, const char *script);
/* Runs tests/command/scripts/NAME with these words (a shell's, or "") in the sandbox; "$O" is the program
 * with its state. Fails the test unless all went well. */
void script_ok(const struct sandbox *s, const char *name, const char *words);
/* A test that is the script of its name. `needs`: what skips it elsewhere, such as ON_LINUX_ONLY(). */
#define STORY(name, needs)                                                                                   \
    static void name(void **state)                                                                           \
    {                                                                                                        \
        needs;                                                                                               \
        script_ok(*state, #name ".sh", "");                                                                  \
    }
#define AS_ROOT_ONLY() (geteuid() != 0 ? skip() : (void)0)

/* The words of a shell that let the command after "'HOOK' -- " stand still at its Nth such call on a path
 * that has this text, while HOOK is run: see torture/at_call.c. A sanitizer cannot look for leaks meanwhile.
 */
#define STOPPED_AT(calls, path, n)                                                                           \
    "ASAN_OPTIONS=detect_leaks=0 $AT_CALL --trace " calls " --on \"" path "\" --early " n " --early-hook "

/* Such a HOOK that writes to a file we watch: the writer waits for us, who stand still; so all goes on as
 * soon as the system has told us of it. The second is what the shell does before it looks at the file. */
#define WRITES(what)                                                                                         \
    "(" what "; : >written) & until [ -e written ] || grep -q BREAKING /proc/locks; do sleep 0.01; done"
#define HAVING_WRITTEN "until [ -e written ]; do sleep 0.01; done; rm written; "

/* Fails the test with everything that was printed. */
void assert_status(const struct outcome *outcome, int status);

#endif
