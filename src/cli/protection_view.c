/* SPDX-License-Identifier: Apache-2.0 */
/* What is protected: a line for each thing if they are few, or one for each directory. */
#include "cli/open_session.h"
#include "cli/views.h"
#include "olvido/path.h"
#include "olvido/protected_tree.h"

#include <stdlib.h>
#include <string.h>

enum { RUNS_KEPT = 16 };

/* Who started a run, by the ledger; asked once for each. */
struct known_run {
    char id[OLV_RUN_ID_SIZE], user[64];
};

struct protection_view {
    struct cli *cli;
    const struct olv_session *session;
    struct table *table;
    struct known_run runs[RUNS_KEPT];
    size_t run_count;
};

static bool read_user(void *self, const struct olv_ledger_record *r)
{
    struct known_run *run = self;
    json_t *json = json_loadb(r->json, r->json_len, 0, NULL);
    const char *user = json_string_value(json_object_get(json_object_get(json, "open"), "user"));
    snprintf(run->user, sizeof run->user, "%s", user ? user : "");
    json_decref(json);
    return false;
}

/* "" if the ledger does not tell. */
static const char *user_of(struct protection_view *v, const char *run)
{
    struct known_run *known;
    struct olv_error ignored = {0};
    for (size_t i = 0; i < v->run_count; i++)
        if (strcmp(v->runs[i].id, run) == 0)
            return v->runs[i].user;
    known = &v->runs[v->run_count < RUNS_KEPT ? v->run_count++ : RUNS_KEPT - 1];
    snprintf(known->id, sizeof known->id, "%s", run);
    known->user[0] = '\0';
    olv_ledger_search(v->session->options.state, &(struct olv_ledger_query){.kind = "begin", .run = run},
                      read_user, known, &ignored);
    return known->user;
}

/* ---- one thing ---- */

struct setters {
    struct protection_view *view;
    struct olv_text words;
    json_t *json; /* or NULL */
    unsigned shown, known;
};

static void add_setter(void *self, const struct olv_protected *row)
{
    struct setters *s = self;
    const char *user = user_of(s->view, row->run), *level = olv_protection_word(row->level);
    json_t *json = s->json ? json_object() : NULL;
    s->known |= row->level;
    if (json) {
        olv_json_string(json, "level", level);
        if (*row->rule)
            olv_json_string(json, "rule", row->rule);
        if (*user)
            olv_json_string(json, "user", user);
        olv_json_string(json, "run", row->run);
        olv_json_instant(json, "since", row->since);
        json_object_set_new(json, "was_so", json_boolean(row->was_so));
        json_array_append_new(s->json, json);
        return;
    }
    olv_text_puts(&s->words, s->words.len ? "; " : "");
    if (s->shown != row->level)
        olv_text_printf(&s->words, "%s ", level);
    if (*row->rule)
        olv_text_printf(&s->words, "by rule %s", row->rule);
    else
        olv_text_printf(&s->words, "by hand%s%s", *user ? ", " : "", user);
    olv_text_printf(&s->words, ", %s%s", DATE(row->since), row->was_so ? " (it was so before)" : "");
}

static void ask_register(struct setters *s, const struct olv_protected_line *line)
{
    struct olv_protected file = {.path = line->path,
                                 .inode = line->stat.inode,
                                 .has_born = line->stat.has_born,
                                 .born = line->stat.born};
    struct olv_error err = {0};
    memcpy(file.uuid, line->uuid, sizeof file.uuid);
    if (s->view->session->reg &&
        olv_register_protection(s->view->session->reg, &file, add_setter, s, &err) == OLV_UNKNOWN)
        cli_report(s->view->cli, &err);
}

static void print_thing_json(struct setters *s, const struct olv_protected_line *line)
{
    json_t *json = json_object();
    olv_json_name(json, "path", line->path);
    olv_json_string(json, "kind", olv_kind_word(line->stat.kind));
    json_object_set_new(json, "frozen", json_boolean(line->levels & OLV_FROZEN));
    json_object_set_new(json, "append_only", json_boolean(line->levels & OLV_APPEND_ONLY));
    json_object_set_new(json, "readonly", json_boolean(line->levels & OLV_READONLY));
    json_object_set_new(json, "set", s->json);
    cli_print_json(json);
}

static void print_thing(struct protection_view *v, const struct olv_protected_line *line)
{
    struct setters s = {.view = v, .json = v->table ? NULL : json_array(), .shown = line->levels};
    struct olv_text path = {0};
    unsigned unknown;
    ask_register(&s, line);
    if (!v->table) {
        print_thing_json(&s, line);
        return;
    }
    unknown = line->levels & ~s.known;
    if (unknown)
        olv_text_printf(&s.words, "%s%s%snot by Olvido", s.words.len ? "; " : "",
                        unknown == line->levels ? "" : olv_protection_words(unknown),
                        unknown == line->levels ? "" : " ");
    term_name(&path, line->path);
    olv_text_puts(&path, line->stat.kind == OLV_KIND_DIRECTORY && line->path[1] ? "/" : "");
    table_cell(v->table, unknown ? STYLE_WARN : STYLE_GOOD, olv_protection_words(line->levels));
    table_text(v->table, STYLE_PLAIN, &path);
    table_text(v->table, STYLE_FAINT, &s.words);
}

/* ---- a directory ---- */

static void add_sum(struct olv_text *out, uint64_t count, uint64_t of, const char *word)
{
    if (count == of && count)
        olv_text_printf(out, "%sall %s %s", out->len ? ", " : "", NUMBER(count), word);
    else if (count)
        olv_text_printf(out, "%s%s of %s %s", out->len ? ", " : "", NUMBER(count), NUMBER(of), word);
}

static void print_sum(struct protection_view *v, const struct olv_protected_line *line)
{
    struct olv_text sums = {0}, path = {0};
    json_t *json;
    if (v->table) {
        add_sum(&sums, line->frozen, line->entries, "frozen");
        add_sum(&sums, line->append_only, line->entries, "append-only");
        add_sum(&sums, line->readonly, line->entries, "readonly");
        term_name(&path, line->path);
        olv_text_puts(&path, line->path[1] ? "/" : "");
        table_text(v->table, STYLE_GOOD, &sums);
        table_text(v->table, STYLE_PLAIN, &path);
        return;
    }
    json = json_object();
    olv_json_name(json, "directory", line->path);
    olv_json_number(json, "entries", line->entries);
    olv_json_number(json, "frozen", line->frozen);
    olv_json_number(json, "append_only", line->append_only);
    olv_json_number(json, "readonly", line->readonly);
    cli_print_json(json);
}

static void print_lines(struct protection_view *v, const struct olv_protected_tree *tree)
{
    static const struct table_column things[] = {{.heading = "Level"},
                                                 {.heading = "Path", .is_elastic = true},
                                                 {.heading = "Set"}},
                                     sums[] = {{.heading = "Protected"},
                                               {.heading = "Directory", .is_elastic = true}};
    struct olv_protected_line line;
    struct olv_sorted record;
    struct olv_error err = {0};
    v->table = table_begin(v->cli, tree->is_summed ? sums : things, tree->is_summed ? 2 : 3);
    while (olv_sorter_next(tree->list, &record, &err))
        if (olv_protected_line(tree, &record, &line) && tree->is_summed)
            print_sum(v, &line);
        else if (!tree->is_summed && record.key.s == 0)
            print_thing(v, &line);
    table_end(v->table);
    if (err.code != OLV_OK)
        cli_report(v->cli, &err);
}

/* ---- all ---- */

static void add_level(struct olv_text *out, uint64_t count, const char *word)
{
    if (count)
        olv_text_printf(out, "%s%s %s", out->len ? ", " : "", NUMBER(count), word);
}

static void print_totals(const struct protection_view *v, const struct olv_protected_tree *tree)
{
    struct olv_text line = {0};
    if (!v->table || cli_has(v->cli, OPT_JSON))
        return;
    add_level(&line, tree->frozen, "frozen");
    add_level(&line, tree->append_only, "append-only");
    add_level(&line, tree->readonly, "readonly");
    printf("%sOf %s looked at: %s.\n", tree->frozen + tree->append_only + tree->readonly ? "\n" : "",
           COUNT(tree->entries, "file or directory", "files and directories"),
           line.len ? line.data : "nothing is protected");
    olv_text_free(&line);
}

static void add_directory(void *self, const char *directory)
{
    struct olv_text *out = self;
    olv_text_puts(out, out->len ? ", " : "");
    term_name(out, directory);
}

static void print_above(const struct protection_view *v, const char *path)
{
    struct olv_text above = {0}, name = {0};
    olv_protection_above(&v->session->guard, path, add_directory, &above);
    term_name(&name, path);
    if (above.len)
        term_message(v->cli, STYLE_PLAIN,
                     "%s goes along if a directory above it is renamed: %s. `protect --with-parents` "
                     "freezes those, too.",
                     olv_text_string(&name), above.data);
    olv_text_free(&above);
    olv_text_free(&name);
}

static void show(struct protection_view *v, const char *const *paths, size_t count)
{
    struct olv_protected_tree tree = {0};
    struct olv_error err = {0};
    bool ok = olv_protected_tree_look(&tree, paths, count, v->session->reg, cli_has(v->cli, OPT_VERBOSE),
                                      &v->cli->observer, &err);
    watch_clear(v->cli);
    if (ok) {
        print_lines(v, &tree);
        print_totals(v, &tree);
        for (size_t i = 0; tree.frozen && i < count && !cli_has(v->cli, OPT_JSON); i++)
            print_above(v, paths[i]);
    } else {
        cli_report(v->cli, &err);
    }
    watch_print_troubles(v->cli);
    if (tree.troubles)
        cli_mark(v->cli, STATUS_SOME_FAILED);
    olv_protected_tree_free(&tree);
}

void protection_show(struct cli *cli, const char *const *typed, size_t count)
{
    struct olv_session session = {0};
    struct protection_view *v = calloc(1, sizeof *v);
    char **paths = calloc(count + 1, sizeof *paths);
    size_t found = 0;
    if (v && paths && session_open(cli, NULL, NULL, &session)) {
        v->cli = cli;
        v->session = &session;
        for (size_t i = 0; i < count; i++) {
            char *real = olv_path_real(typed[i]);
            struct olv_error err = {0};
            if (real) {
                paths[found++] = real;
                continue;
            }
            olv_fail_system(&err, typed[i], "looking for it");
            cli_report(cli, &err);
        }
        if (found)
            show(v, (const char *const *)paths, found);
    } else if (!v || !paths) {
        cli_memory(cli);
    }
    olv_session_close(&session);
    for (size_t i = 0; i < found; i++)
        free(paths[i]);
    free(paths);
    free(v);
}
