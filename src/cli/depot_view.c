/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/views.h"

#include <string.h>

/* ---- what lies there ---- */

static void archive_json(const struct olv_stored_archive *a)
{
    json_t *json = json_object();
    olv_json_string(json, "depot", a->depot);
    olv_json_name(json, "directory", a->depot_path);
    olv_json_name(json, "archive", a->name);
    olv_json_string(json, "packed", olv_codec_word(a->codec));
    if (*a->rule)
        olv_json_string(json, "rule", a->rule);
    olv_json_string(json, "run", a->run);
    olv_json_instant(json, "made", a->made);
    olv_json_number(json, "members", a->members);
    olv_json_number(json, "bytes", a->bytes);
    olv_json_number(json, "length", a->length);
    cli_print_json(json);
}

static void archive_row(struct depot_view *l, const struct olv_stored_archive *a)
{
    table_cell(l->table, STYLE_PLAIN, a->depot);
    table_date(l->table, STYLE_PLAIN, a->made);
    table_number(l->table, STYLE_PLAIN, a->members);
    table_size(l->table, STYLE_PLAIN, a->bytes);
    table_size(l->table, STYLE_PLAIN, a->length);
    table_name(l->table, STYLE_PLAIN, a->name);
}

static bool depot_view_archive(void *self, const struct olv_stored_archive *a)
{
    struct depot_view *l = self;
    if (l->depot && strcmp(l->depot, a->depot) != 0)
        return true;
    l->archives++;
    l->members += a->members;
    l->bytes += a->bytes;
    l->length += a->length;
    if (l->table)
        archive_row(l, a);
    else if (cli_has(l->cli, OPT_JSON))
        archive_json(a);
    return true;
}

/* Archives being made, or to be removed. */
static bool depot_view_unfinished(void *self, const struct olv_unfinished_archive *u)
{
    struct depot_view *l = self;
    struct olv_text line = {0};
    if (l->depot && strcmp(l->depot, u->depot) != 0)
        return true;
    l->unfinished++;
    if (cli_has(l->cli, OPT_JSON)) {
        json_t *json = json_object();
        olv_json_string(json, "depot", u->depot);
        olv_json_name(json, "directory", u->depot_path);
        olv_json_name(json, "archive", u->name);
        olv_json_string(json, "state", olv_archive_state_word(u->state));
        olv_json_string(json, "run", u->run);
        cli_print_json(json);
        return true;
    }
    olv_text_printf(&line, "%s/", u->depot);
    term_name(&line, u->name);
    printf("%s%s%s: %s\n", term_begin(l->cli, STYLE_WARN), olv_text_string(&line), term_end(l->cli),
           u->state == OLV_ARCHIVE_MAKING
               ? "is being made, or was when a run was cut short; the next run clears what is left of it"
               : "is to go, and could not be removed yet; every run tries again");
    olv_text_free(&line);
    return true;
}

static void depot_view_total(const struct depot_view *l)
{
    if (!cli_has(l->cli, OPT_JSON) && !cli_has(l->cli, OPT_QUIET))
        printf("%s with %s, %s in %s\n", COUNT(l->archives, "archive", "archives"),
               COUNT(l->members, "member", "members"), SIZE(l->bytes), SIZE(l->length));
}

bool depot_view_list_unfinished(struct depot_view *l, struct olv_catalogue *catalogue, struct olv_error *err)
{
    return olv_catalogue_unfinished(catalogue, OLV_ARCHIVE_MAKING, depot_view_unfinished, l, err) &&
           olv_catalogue_unfinished(catalogue, OLV_ARCHIVE_GOING, depot_view_unfinished, l, err);
}

bool depot_view_show(struct depot_view *l, struct olv_catalogue *catalogue)
{
    static const struct table_column columns[] = {{.heading = "Depot"},
                                                  {.heading = "Made"},
                                                  {.heading = "Members", .is_right = true},
                                                  {.heading = "Contents", .is_right = true},
                                                  {.heading = "Packed", .is_right = true},
                                                  {.heading = "Archive", .is_elastic = true}};
    struct olv_error err = {0};
    bool ok;
    l->table = table_begin(l->cli, columns, 6);
    ok = !catalogue || olv_catalogue_archives(catalogue, depot_view_archive, l, &err);
    table_end(l->table);
    if (!ok || (catalogue && !depot_view_list_unfinished(l, catalogue, &err)))
        return cli_report(l->cli, &err);
    depot_view_total(l);
    return true;
}

/* ---- what is wrong ---- */

void depot_view_fault(void *self, const struct olv_depot_fault *f)
{
    struct depot_view *l = self;
    struct olv_text line = {0};
    l->faults++;
    watch_hide(l->cli);
    if (cli_has(l->cli, OPT_JSON)) {
        json_t *json = json_object();
        olv_json_string(json, "depot", f->depot);
        olv_json_name(json, "archive", f->archive);
        olv_json_string(json, "fault", f->what);
        if (*f->path)
            olv_json_name(json, "path", f->path);
        cli_print_json(json);
        return;
    }
    olv_text_printf(&line, "%s/", f->depot);
    term_name(&line, f->archive);
    olv_text_puts(&line, ": ");
    if (*f->path) {
        term_name(&line, f->path);
        olv_text_puts(&line, " ");
    }
    term_name(&line, f->what);
    printf("%s%s%s\n", term_begin(l->cli, STYLE_ERROR), olv_text_string(&line), term_end(l->cli));
    olv_text_free(&line);
}

static void print_report_json(const struct olv_depot_report *r)
{
    json_t *json = json_object();
    olv_json_number(json, "archives", r->archives);
    olv_json_number(json, "members", r->members);
    olv_json_number(json, "bytes", r->bytes);
    olv_json_number(json, "damaged_archives", r->damaged_archives);
    olv_json_number(json, "missing_archives", r->missing_archives);
    olv_json_number(json, "missing_members", r->missing_members);
    olv_json_number(json, "unread_archives", r->unread_archives);
    olv_json_number(json, "lost_members", r->lost_members);
    cli_print_json(json);
}

/* "Sound: 3 archives with 40 members, 12 MiB read", then what is wrong. */
static void print_report(struct depot_view *l, const struct olv_depot_report *r, const char *word,
                         const struct olv_text *wrong)
{
    watch_clear(l->cli);
    if (cli_has(l->cli, OPT_JSON))
        print_report_json(r);
    else
        printf("%s%s%s %s with %s, %s read%s.\n", term_begin(l->cli, wrong->len ? STYLE_ERROR : STYLE_GOOD),
               word, term_end(l->cli), COUNT(r->archives, "archive", "archives"),
               COUNT(r->members, "member", "members"), SIZE(r->bytes), olv_text_string(wrong));
}

void depot_view_verified(struct depot_view *l, const struct olv_depot_report *r)
{
    struct olv_text wrong = {0};
    if (l->faults)
        olv_text_printf(&wrong, "; %s damaged, %s missing, %s lost", NUMBER(r->damaged_archives),
                        NUMBER(r->missing_archives), COUNT(r->lost_members, "file", "files"));
    if (r->missing_members)
        olv_text_printf(&wrong, ", %s missing with their archives",
                        COUNT(r->missing_members, "member", "members"));
    if (r->unread_archives)
        olv_text_printf(&wrong, "; %s could not be opened, and so was not verified",
                        NUMBER(r->unread_archives));
    print_report(l, r, l->faults ? "Not sound:" : r->unread_archives ? "Not whole:" : "Sound:", &wrong);
    olv_text_free(&wrong);
}

void depot_view_rebuilt(struct depot_view *l, const struct olv_depot_report *r)
{
    struct olv_text wrong = {0};
    if (l->faults)
        olv_text_printf(&wrong, "; %s damaged: `olvido depot verify` names the lost files",
                        NUMBER(r->damaged_archives));
    print_report(l, r, "Rebuilt:", &wrong);
    olv_text_free(&wrong);
}
