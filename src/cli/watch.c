/* SPDX-License-Identifier: Apache-2.0 */
/* Progress appears on standard error of a terminal after half a second of work, at most ten times a second,
 * and disappears when the work is done. Troubles are collected and printed after the result. */
#include "cli/watch.h"

#include "cli/term.h"
#include "olvido/quantity.h"

#include <errno.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

enum { SHOWN = 20, MOST_KEPT = 10000 };

static volatile sig_atomic_t interrupted; /* the only thing a signal handler may set */

struct cli_watch {
    struct cli *cli;
    bool is_terminal, is_shown;
    double began, drawn;
    uint64_t expected, expected_bytes;
    void (*outcome)(void *self, const struct olv_result_facts *facts);
    void *outcome_self;
    void (*obstacle)(void *self, const struct olv_obstacle_met *met);
    void *obstacle_self;
    bool is_stopped;
    char **troubles; /* ready to print; owned */
    size_t kept, cap;
    uint64_t count;
};

static void on_signal(int number)
{
    (void)number;
    interrupted = 1;
}

static double seconds(void)
{
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return (double)t.tv_sec + (double)t.tv_nsec / 1e9;
}

static void describe_rest(const struct cli_watch *w, const struct olv_progress *p, double elapsed,
                          struct olv_text *line)
{
    double rate = (double)p->files / elapsed, byte_rate = (double)p->bytes / elapsed;
    uint64_t bytes = w->expected_bytes ? w->expected_bytes : p->of_bytes;
    if (bytes) {
        olv_text_printf(line, ", %s/s", SIZE((uint64_t)byte_rate));
        if (bytes > p->bytes && byte_rate > 0)
            olv_text_printf(line, ", %.0f s left", (double)(bytes - p->bytes) / byte_rate + 0.5);
        return;
    }
    olv_text_printf(line, ", %s/s", NUMBER((uint64_t)rate));
    if (w->expected > p->files && rate > 0)
        olv_text_printf(line, ", %.0f s left", (double)(w->expected - p->files) / rate + 0.5);
}

static void watch_on_progress(void *self, const struct olv_progress *p)
{
    struct cli_watch *w = self;
    struct olv_text line = {0};
    double now = seconds();
    if (!w->is_terminal || now - w->began < 0.5 || now - w->drawn < 0.1)
        return;
    w->drawn = now;
    olv_text_printf(&line, "%s: %s", p->doing, NUMBER(p->files));
    if (w->expected || p->of_files)
        olv_text_printf(&line, " of %s", NUMBER(w->expected ? w->expected : p->of_files));
    olv_text_puts(&line, " files");
    if (p->bytes)
        olv_text_printf(&line, ", %s", SIZE(p->bytes));
    describe_rest(w, p, now - w->began, &line);
    if (w->cli->width > 4)
        term_shorten(&line, w->cli->width - 1);
    fprintf(stderr, "\r%s\033[K", olv_text_string(&line));
    w->is_shown = true;
    olv_text_free(&line);
}

void watch_hide(struct cli *cli)
{
    if (cli->watch->is_shown)
        fputs("\r\033[K", stderr);
    cli->watch->is_shown = false;
}

void watch_clear(struct cli *cli)
{
    watch_hide(cli);
    cli->watch->began = seconds();
}

static bool watch_make_room(struct cli_watch *w)
{
    size_t cap = w->cap ? 2 * w->cap : 32;
    char **grown;
    if (w->kept < w->cap)
        return true;
    grown = w->kept < MOST_KEPT ? realloc(w->troubles, cap * sizeof *grown) : NULL;
    if (!grown)
        return false;
    w->troubles = grown;
    w->cap = cap;
    return true;
}

/* A command may walk the same places twice. */
static bool was_said(const struct cli_watch *w, const char *line)
{
    for (size_t i = 0; i < w->kept; i++)
        if (strcmp(w->troubles[i], line) == 0)
            return true;
    return false;
}

static void watch_on_trouble(void *self, const struct olv_trouble *t)
{
    struct cli_watch *w = self;
    struct olv_text line = {0};
    bool is_known = t->kind == OLV_TROUBLE_ACCESSED, is_note = is_known || t->kind == OLV_TROUBLE_OTHER_MOUNT,
         has_sys = t->sys && !is_note;
    if (t->kind == OLV_TROUBLE_OTHER_MOUNT && !cli_has(w->cli, OPT_VERBOSE))
        return;
    w->count += !is_note;
    if (t->kind == OLV_TROUBLE_UNREADABLE && t->sys != 0)
        cli_mark(w->cli, STATUS_SOME_FAILED);
    olv_text_printf(&line, "%s%s%s%s%s", t->path, *t->path ? ": " : "", t->what, has_sys ? ": " : "",
                    has_sys ? strerror(t->sys) : "");
    if (line.failed || (is_known && was_said(w, olv_text_string(&line))) || !watch_make_room(w)) {
        olv_text_free(&line);
        return;
    }
    w->troubles[w->kept++] = line.data;
}

static bool is_interrupted(void *self)
{
    const struct cli_watch *w = self;
    return interrupted != 0 || w->is_stopped;
}

static void on_obstacle(void *self, const struct olv_obstacle_met *met)
{
    struct cli_watch *w = self;
    w->obstacle(w->obstacle_self, met);
}

static void on_outcome(void *self, const struct olv_result_facts *facts)
{
    struct cli_watch *w = self;
    if (w->outcome)
        w->outcome(w->outcome_self, facts);
}

bool watch_begin(struct cli *cli)
{
    struct sigaction action = {.sa_handler = on_signal}; /* without SA_RESTART: a question must notice it */
    struct cli_watch *w = calloc(1, sizeof *w);
    if (!w)
        return false;
    *w = (struct cli_watch){
        .cli = cli, .is_terminal = isatty(STDERR_FILENO) && !cli_has(cli, OPT_QUIET), .began = seconds()};
    cli->watch = w;
    cli->observer = (struct olv_observer){.self = w,
                                          .progress = watch_on_progress,
                                          .trouble = watch_on_trouble,
                                          .is_interrupted = is_interrupted,
                                          .outcome = on_outcome};
    sigaction(SIGINT, &action, NULL);
    sigaction(SIGTERM, &action, NULL);
    sigaction(SIGHUP, &action, NULL); /* the terminal is gone: stop, and record that */
    return true;
}

static void drop_troubles(struct cli_watch *w)
{
    for (size_t i = 0; i < w->kept; i++)
        free(w->troubles[i]);
    w->kept = 0;
    w->count = 0;
}

void watch_end(struct cli *cli)
{
    struct cli_watch *w = cli->watch;
    if (!w)
        return;
    drop_troubles(w);
    free(w->troubles);
    free(w);
    cli->watch = NULL;
}

void watch_expect(struct cli *cli, uint64_t files)
{
    cli->watch->expected = files;
    cli->watch->began = seconds();
}

void watch_expect_bytes(struct cli *cli, uint64_t bytes)
{
    cli->watch->expected_bytes = bytes;
}

void watch_outcomes(struct cli *cli, void (*each)(void *self, const struct olv_result_facts *facts),
                    void *self)
{
    cli->watch->outcome = each;
    cli->watch->outcome_self = self;
}

void watch_obstacles(struct cli *cli, void (*met)(void *self, const struct olv_obstacle_met *met), void *self)
{
    cli->watch->obstacle = met;
    cli->watch->obstacle_self = self;
    cli->observer.obstacle = met ? on_obstacle : NULL;
}

void watch_stop(struct cli *cli, bool stops)
{
    cli->watch->is_stopped = stops;
}

bool watch_is_stopped(const struct cli *cli)
{
    return cli->watch->is_stopped;
}

void watch_print_troubles(struct cli *cli)
{
    struct cli_watch *w = cli->watch;
    size_t shown = cli_has(cli, OPT_VERBOSE) || w->kept <= SHOWN ? w->kept : SHOWN;
    watch_clear(cli);
    for (size_t i = 0; i < shown; i++)
        term_message(cli, STYLE_WARN, "%s", w->troubles[i]);
    if (w->count > shown)
        term_message(cli, STYLE_WARN, "and %s more (--verbose names them)", NUMBER(w->count - shown));
    drop_troubles(w);
}

bool watch_is_interrupted(const struct cli *cli)
{
    (void)cli;
    return interrupted != 0;
}
