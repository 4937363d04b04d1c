/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/views.h"

#include <errno.h>
#include <limits.h>
#include <string.h>

struct history {
    char act[16], result[16], run[64], rule[80], time[OLV_RFC3339_SIZE];
    uint64_t lines;
};

/* The last line about the path itself counts. */
static bool history_view_remember(void *self, const struct olv_ledger_record *r)
{
    struct history *h = self;
    if (strcmp(r->kind, "outcome") != 0 || strcmp(r->result, "left") == 0)
        return true;
    h->lines++;
    snprintf(h->act, sizeof h->act, "%s", r->act);
    snprintf(h->result, sizeof h->result, "%s", r->result);
    snprintf(h->run, sizeof h->run, "%s", r->run);
    snprintf(h->rule, sizeof h->rule, "%s", r->rule);
    snprintf(h->time, sizeof h->time, "%s", r->time);
    return true;
}

struct sighting {
    uint64_t count;
    char trash[PATH_MAX];
    char depot[65]; /* "": in the trash */
};

static void see(void *self, const struct olv_found_item *found)
{
    struct sighting *s = self;
    s->count++;
    snprintf(s->depot, sizeof s->depot, "%s", found->depot);
    snprintf(s->trash, sizeof s->trash, "%s", found->trash ? olv_trash_path(found->trash) : "");
}

static bool look_for(const struct olv_session *session, const struct patterns *only, struct sighting *s,
                     struct olv_error *err)
{
    struct olv_item_query query = {.patterns = only->items,
                                   .pattern_count = only->count,
                                   .act = olv_act_named("recover"),
                                   .rule = OLV_BY_HAND,
                                   .catalogue = session->catalogue};
    return !session->trashes || olv_items_find(session->trashes, &query, NULL, see, s, err);
}

static void print_way_back(struct cli *cli, const char *path)
{
    struct olv_text pattern = {0}, command = {0};
    olv_pattern_quote(&pattern, path, strlen(path));
    olv_text_puts(&command, "olvido recover ");
    term_word(&command, olv_text_string(&pattern));
    facts_command(cli, "Get back", olv_text_string(&command));
    olv_text_free(&pattern);
    olv_text_free(&command);
}

static void print_history(struct cli *cli, const char *path, const struct history *h,
                          const struct sighting *s)
{
    struct olv_instant t;
    size_t at;
    if (h->lines) {
        bool is_in_time = olv_instant_parse(h->time, strlen(h->time), &t, &at);
        facts_line(cli, "Ledger", STYLE_PLAIN, "%s: %s, %s, by %s%s, run %s", h->act, h->result,
                   is_in_time ? DATE(t) : "?", *h->rule ? "rule " : "hand", h->rule, h->run);
    } else {
        facts_line(cli, "Ledger", STYLE_PLAIN, "Olvido never touched it");
    }
    if (s->count) {
        facts_line(cli, "Lies in", STYLE_PLAIN, "the %s %s", *s->depot ? "depot" : "trash",
                   *s->depot ? s->depot : s->trash);
        print_way_back(cli, path);
    } else if (h->lines) {
        facts_line(cli, "Get back", STYLE_WARN, "it is in no trash or depot any more");
    }
}

bool history_show(struct cli *cli, const struct olv_session *session, const char *path, json_t *json,
                  bool *is_known, struct olv_error *err)
{
    struct olv_ledger_query query = {.path = path};
    struct history h = {0};
    struct sighting s = {0};
    struct patterns only;
    char state[PATH_MAX];
    bool ok;
    if (!patterns_of_path(cli, path, &only)) {
        patterns_free(&only);
        return olv_fail_memory(err);
    }
    ok = look_for(session, &only, &s, err);
    patterns_free(&only);
    if (!ok || !cli_state_path(cli, state, sizeof state) ||
        (!olv_ledger_search(state, &query, history_view_remember, &h, err) && err->sys != ENOENT))
        return false;
    olv_error_clear(err);
    *is_known = h.lines || s.count;
    if (!json) {
        print_history(cli, path, &h, &s);
        return true;
    }
    if (h.lines) {
        json_t *last = json_object();
        olv_json_string(last, "time", h.time);
        olv_json_string(last, "act", h.act);
        olv_json_string(last, "result", h.result);
        olv_json_string(last, "run", h.run);
        olv_json_string(last, "rule", h.rule);
        json_object_set_new(json, "last", last);
    }
    if (s.count && !*s.depot && !json_object_get(json, "trash"))
        olv_json_name(json, "trash", s.trash);
    return true;
}
