/* SPDX-License-Identifier: Apache-2.0 */
#include "support/command.h"

#include <errno.h>
#include <fcntl.h>
#include <poll.h>
#include <pty.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <sys/wait.h>
#include <unistd.h>

enum { MOST_ARGUMENTS = 32 };

struct buffer {
    char *data;
    size_t len;
};

static bool fill(int fd, struct buffer *b)
{
    char piece[4096];
    ssize_t got = read(fd, piece, sizeof piece);
    if (got <= 0)
        return false;
    b->data = realloc(b->data, b->len + (size_t)got + 1);
    memcpy(b->data + b->len, piece, (size_t)got);
    b->len += (size_t)got;
    b->data[b->len] = '\0';
    return true;
}

static void prepare_child(const struct sandbox *s)
{
    setenv("XDG_DATA_HOME", in(s, "data"), 1);
    setenv("HOME", s->path, 1);
    setenv("TZ", "UTC", 1);
    unsetenv("NO_COLOR");
    if (chdir(s->path) < 0)
        _exit(126);
}

static void collect(const struct sandbox *s, va_list args, char *argv[MOST_ARGUMENTS])
{
    static char state[4200];
    int n = 0;
    argv[n++] = getenv("OLVIDO");
    snprintf(state, sizeof state, "%s", in(s, "state"));
    argv[n++] = (char *)(uintptr_t) "--state";
    argv[n++] = state;
    while (n < MOST_ARGUMENTS - 1 && (argv[n] = va_arg(args, char *)))
        n++;
    argv[n] = NULL;
}

static int status_of(pid_t pid)
{
    int status;
    while (waitpid(pid, &status, 0) < 0 && errno == EINTR)
        ;
    return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
}

static struct outcome run(const struct sandbox *s, char *argv[])
{
    struct buffer out = {strdup(""), 0}, err = {strdup(""), 0};
    int pipes[2][2];
    bool open[2] = {true, true};
    pid_t pid;
    if (pipe(pipes[0]) < 0 || pipe(pipes[1]) < 0)
        abort();
    if ((pid = fork()) < 0)
        abort();
    if (pid == 0) {
        int null = openat(AT_FDCWD, "/dev/null", O_RDONLY);
        prepare_child(s);
        dup2(null, 0);
        dup2(pipes[0][1], 1);
        dup2(pipes[1][1], 2);
        for (int fd = 3; fd < 16; fd++)
            close(fd);
        execv(argv[0], argv);
        _exit(127);
    }
    close(pipes[0][1]);
    close(pipes[1][1]);
    while (open[0] || open[1]) {
        struct pollfd fds[2] = {{open[0] ? pipes[0][0] : -1, POLLIN, 0},
                                {open[1] ? pipes[1][0] : -1, POLLIN, 0}};
        poll(fds, 2, -1);
        if (fds[0].revents)
            open[0] = fill(pipes[0][0], &out);
        if (fds[1].revents)
            open[1] = fill(pipes[1][0], &err);
    }
    close(pipes[0][0]);
    close(pipes[1][0]);
    return (struct outcome){status_of(pid), sandbox_keep(out.data), sandbox_keep(err.data)};
}

struct outcome olvido(const struct sandbox *s, ...)
{
    char *argv[MOST_ARGUMENTS];
    va_list args;
    va_start(args, s);
    collect(s, args, argv);
    va_end(args);
    return run(s, argv);
}

struct outcome olvido_ends(const struct sandbox *s, int status, ...)
{
    char *argv[MOST_ARGUMENTS];
    struct outcome o;
    va_list args;
    va_start(args, status);
    collect(s, args, argv);
    va_end(args);
    o = run(s, argv);
    assert_status(&o, status);
    return o;
}

/* With a filter in the kernel, calls that a test does not look at run at full speed; it looks at those that
 * it disturbs, if it names no others. A signal reaches a call only without the filter. */
static const char STRACE[] =
    "strace() { case \"$*\" in *signal=*) command strace \"$@\"; return ;; *trace=*) ;; *inject=*) "
    "set -- -e \"trace=$(echo \"$*\" | grep -o 'inject=[^: ]*' | cut -d= -f2 | paste -sd, -)\" \"$@\" ;; "
    "esac; "
    "command strace --seccomp-bpf \"$@\"; }\n";

struct outcome shell(const struct sandbox *s, const char *script)
{
    char text[8192];
    char *argv[] = {(char *)(uintptr_t) "/bin/sh", (char *)(uintptr_t) "-c", text, NULL};
    snprintf(text, sizeof text, "O='%s --state %s'\n%s%s", getenv("OLVIDO"), in(s, "state"), STRACE, script);
    return run(s, argv);
}

static void run_aside(const struct sandbox *s, const char **answers)
{
    while (**answers == '!') {
        char script[8192];
        int len = (int)strcspn(*answers, "\n");
        snprintf(script, sizeof script, "cd %s && %.*s", s->path, len - 1, *answers + 1);
        if (system(script) != 0)
            abort();
        *answers += len + 1;
    }
}

/* Types the next answer for every question that has appeared and was not answered yet. */
static void answer(const struct sandbox *s, int terminal, const struct buffer *out, size_t *seen,
                   const char **answers)
{
    for (; *seen + 1 < out->len; ++*seen) {
        const char *stop;
        size_t len;
        if (out->data[*seen] != '?' || out->data[*seen + 1] != ' ' || *seen + 2 != out->len)
            continue;
        run_aside(s, answers);
        stop = strchr(*answers, '\n');
        len = stop ? (size_t)(stop - *answers) + 1 : strlen(*answers);
        if (write(terminal, len ? *answers : "\004", len ? len : 1) < 0)
            return;
        *answers += len;
    }
}

struct outcome olvido_on_terminal(const struct sandbox *s, unsigned columns, const char *answers, ...)
{
    struct winsize size = {.ws_row = 40, .ws_col = (unsigned short)columns};
    struct buffer out = {strdup(""), 0};
    char *argv[MOST_ARGUMENTS];
    size_t seen = 0;
    va_list args;
    int terminal;
    pid_t pid;
    va_start(args, answers);
    collect(s, args, argv);
    va_end(args);
    pid = forkpty(&terminal, NULL, NULL, &size);
    if (pid == 0) {
        prepare_child(s);
        execv(argv[0], argv);
        _exit(127);
    }
    while (fill(terminal, &out))
        answer(s, terminal, &out, &seen, &answers);
    close(terminal);
    return (struct outcome){status_of(pid), sandbox_keep(out.data), ""};
}

void assert_status(const struct outcome *outcome, int status)
{
    if (outcome->status != status)
        fail_msg("exit status %d, expected %d\n-- out:\n%s\n-- err:\n%s", outcome->status, status,
                 outcome->out, outcome->err);
}

void shell_staged(const struct sandbox *s, const char *stage, const char *script)
{
    size_t size = strlen(stage) + strlen(script) + 1;
    char *text = malloc(size);
    struct outcome o;
    assert_non_null(text);
    snprintf(text, size, "%s%s", stage, script);
    o = shell(s, text);
    free(text);
    assert_status(&o, 0);
}

void script_ok(const struct sandbox *s, const char *name, const char *words)
{
    char text[4096];
    snprintf(text, sizeof text, "set -- %s\n. %s/tests/command/scripts/%s", words, getenv("OLVIDO_SOURCE"),
             name);
    shell_staged(s, "set -u\n", text);
}

void readings_ok(const struct sandbox *s, const char *script)
{
    shell_staged(s, ". \"$OLVIDO_SOURCE/tests/command/scripts/readings.sh\"\n", script);
}

void shell_ok(const struct sandbox *s, const char *script)
{
    shell_staged(s, "set -e\n", script);
}
