/* SPDX-License-Identifier: Apache-2.0 */
/* Acts that no command does are done by hand to all that lies in the trashes: `acting --state DIRECTORY act
 * WORD [KEY=VALUE]…`, as a command would: a query, a docket, and the session carries it out. */
#include "olvido/arguments.h"
#include "olvido/items.h"
#include "olvido/session.h"

#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static void ignore(void *self, const struct olv_found_item *found)
{
    (void)self;
    (void)found;
}

static volatile sig_atomic_t is_stopped;

static void stop(int signal)
{
    is_stopped = signal;
}

static bool is_interrupted(void *self)
{
    (void)self;
    return is_stopped != 0;
}

static void trouble(void *self, const struct olv_trouble *t)
{
    *(bool *)self = true;
    fprintf(stderr, "%s: %s\n", t->path, t->what);
}

static void read_arguments(struct olv_arguments *how, int count, char **words, struct olv_error *err)
{
    for (int i = 0; i < count; i++) {
        char *equals = strchr(words[i], '=');
        if (equals)
            *equals = '\0';
        if (!equals || !olv_arguments_set(how, words[i], equals + 1, err))
            exit(2);
    }
    if (!olv_arguments_complete(how, NULL, err))
        exit(2);
}

static int act_by_hand(const char *state, const char *word, int count, char **words)
{
    bool has_trouble = false;
    const struct olv_observer observer = {
        .self = &has_trouble, .trouble = trouble, .is_interrupted = is_interrupted};
    const struct sigaction action = {.sa_handler = stop};
    const struct olv_session_options options = {.state = state, .command = word, .observer = &observer};
    struct olv_item_query query = {.act = olv_act_named(word), .rule = OLV_BY_HAND};
    struct olv_run_result result = {0};
    struct olv_arguments how = {0};
    struct olv_session session;
    struct olv_error err = {0};
    struct olv_spool *docket;
    bool ok;
    if (!query.act || !olv_arguments_begin(&how, query.act, &err))
        exit(2);
    read_arguments(&how, count, words, &err);
    for (size_t i = 0; i < 3; i++)
        sigaction((const int[]){SIGINT, SIGTERM, SIGHUP}[i], &action, NULL);
    query.arguments = how.values;
    docket = olv_spool_new(&err);
    ok = olv_session_open(&session, &options, &err) &&
         olv_items_find(session.trashes, &query, docket, ignore, NULL, &err) &&
         olv_session_carry_out(&session, docket, NULL, &result, &err);
    if (!ok)
        fprintf(stderr, "acting: %s\n", err.what);
    printf("%llu done, %llu left, %llu failed\n", (unsigned long long)result.done,
           (unsigned long long)result.left, (unsigned long long)result.failed);
    olv_session_close(&session);
    olv_spool_free(docket);
    olv_arguments_free(&how);
    return result.is_interrupted ? 4 : !ok || result.failed || has_trouble;
}

/* Before main, which knows no such command. */
__attribute__((constructor)) static void look_at_words(int count, char **words)
{
    const char *state = "";
    for (int i = 1; i + 1 < count; i++) {
        if (strcmp(words[i], "--state") == 0)
            state = words[i + 1];
        if (strcmp(words[i], "act") == 0)
            exit(act_by_hand(state, words[i + 1], count - i - 2, words + i + 2));
    }
}
