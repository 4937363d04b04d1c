/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/depot_view.h"

#include "cli/term.h"
#include "cli/watch.h"
#include "olvido/json.h"
#include "olvido/quantity.h"

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
    struct olv_text name = {0}, members = {0};
    char date[TERM_DATE], plain[OLV_SIZE_TEXT], packed[OLV_SIZE_TEXT];
    term_name(&name, a->name);
    term_number(&members, a->members);
    table_cell(l->table, STYLE_PLAIN, a->depot);
    table_cell(l->table, STYLE_PLAIN, term_date(a->made, date));
    table_cell(l->table, STYLE_PLAIN, olv_text_string(&members));
    table_cell(l->table, STYLE_PLAIN, olv_size_format(a->bytes, plain));
    table_cell(l->table, STYLE_PLAIN, olv_size_format(a->length, packed));
    table_cell(l->table, STYLE_PLAIN, olv_text_string(&name));
    olv_text_free(&name);
    olv_text_free(&members);
}

bool depot_view_archive(void *self, const struct olv_stored_archive *a)
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

/* What is being made, or is to go. */
bool depot_view_unfinished(void *self, const struct olv_unfinished_archive *u)
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

void depot_view_total(const struct depot_view *l)
{
    struct olv_text line = {0};
    char plain[OLV_SIZE_TEXT], packed[OLV_SIZE_TEXT];
    if (cli_has(l->cli, OPT_JSON) || cli_has(l->cli, OPT_QUIET))
        return;
    term_count(&line, l->archives, "archive", "archives");
    olv_text_puts(&line, " with ");
    term_count(&line, l->members, "member", "members");
    printf("%s, %s in %s\n", olv_text_string(&line), olv_size_format(l->bytes, plain),
           olv_size_format(l->length, packed));
    olv_text_free(&line);
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
    olv_json_number(json, "lost_members", r->lost_members);
    cli_print_json(json);
}

/* "Sound: 3 archives with 40 members, 12 MiB read"; what is to be said about faults follows. */
static void print_report(struct depot_view *l, const struct olv_depot_report *r, const char *word,
                         const char *faults)
{
    struct olv_text line = {0};
    char size[OLV_SIZE_TEXT];
    watch_clear(l->cli);
    if (cli_has(l->cli, OPT_JSON)) {
        print_report_json(r);
        return;
    }
    term_count(&line, r->archives, "archive", "archives");
    olv_text_puts(&line, " with ");
    term_count(&line, r->members, "member", "members");
    printf("%s%s%s %s, %s read%s.\n", term_begin(l->cli, l->faults ? STYLE_ERROR : STYLE_GOOD), word,
           term_end(l->cli), olv_text_string(&line), olv_size_format(r->bytes, size),
           l->faults ? faults : "");
    olv_text_free(&line);
}

void depot_view_verified(struct depot_view *l, const struct olv_depot_report *r)
{
    char faults[160];
    snprintf(faults, sizeof faults, "; %llu damaged, %llu missing, %llu %s lost",
             (unsigned long long)r->damaged_archives, (unsigned long long)r->missing_archives,
             (unsigned long long)r->lost_members, r->lost_members == 1 ? "file" : "files");
    print_report(l, r, l->faults ? "Not sound:" : "Sound:", faults);
}

void depot_view_rebuilt(struct depot_view *l, const struct olv_depot_report *r)
{
    char faults[160];
    snprintf(faults, sizeof faults, "; %llu damaged: `olvido depot verify` names the files that are lost",
             (unsigned long long)r->damaged_archives);
    print_report(l, r, "Read anew:", faults);
}
