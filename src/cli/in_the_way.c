/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/in_the_way.h"

#include "cli/ask.h"
#include "cli/views.h"

#include <stdlib.h>
#include <string.h>

static bool was_met(const struct in_the_way *w, const char *reason)
{
    for (size_t i = 0; i < w->count; i++)
        if (w->met[i] && strcmp(w->met[i], reason) == 0)
            return true;
    return false;
}

static int ask_what_now(struct in_the_way *w, const struct olv_obstacle_met *met, uint64_t to_go)
{
    static const char *const answers[] = {"stop", "go on", "take back", NULL}, *const some[] = {
                                                                                   "stop", "go on", NULL};
    const struct olv_act *act = w->confirm->act->named.act;
    struct olv_text line = {0};
    int answer;
    olv_text_printf(&line, "So far %s %s %s, and %s not; %s %s to go:", NUMBER(met->done),
                    met->done == 1 ? "is" : "are", act->past, COUNT(met->undone, "is", "are"), NUMBER(to_go),
                    to_go == 1 ? "is" : "are");
    answer = ask(w->confirm->cli, olv_text_string(&line),
                 met->done && run_can_be_taken_back(act) ? answers : some);
    olv_text_free(&line);
    return answer;
}

static void on_obstacle(void *self, const struct olv_obstacle_met *met)
{
    enum { GO_ON = 1, TAKE_BACK = 2 };
    struct in_the_way *w = self;
    struct cli *cli = w->confirm->cli;
    uint64_t entries = w->confirm->named->entries - w->confirm->declined, past = met->done + met->undone;
    struct olv_text line = {0};
    int answer;
    if (past >= entries || was_met(w, met->reason))
        return;
    watch_hide(cli);
    term_name(&line, met->path);
    term_message(cli, STYLE_WARN, "%s: %s", olv_text_string(&line), met->reason);
    olv_text_free(&line);
    answer = ask_what_now(w, met, entries - past);
    w->takes_back = answer == TAKE_BACK;
    if (answer != GO_ON)
        watch_stop(cli, !watch_is_interrupted(cli));
    else if (w->count < IN_THE_WAY_MOST)
        w->met[w->count++] = strdup(met->reason);
}

void in_the_way_begin(struct in_the_way *w, const struct confirm *confirm)
{
    *w = (struct in_the_way){.confirm = confirm};
    if (confirm_can_ask(confirm) && !cli_has(confirm->cli, OPT_YES) &&
        !cli_has(confirm->cli, OPT_COUNT_TYPED))
        watch_obstacles(confirm->cli, on_obstacle, w);
}

void in_the_way_end(struct in_the_way *w)
{
    watch_obstacles(w->confirm->cli, NULL, NULL);
    for (size_t i = 0; i < w->count; i++)
        free(w->met[i]);
}
