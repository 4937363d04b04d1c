/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/views.h"
#include "olvido/accounts.h"

#include <string.h>

enum { LEAST_BAR = 12, MOST_BAR = 60, OTHER_COLUMNS = 46, NARROW = 60, OWNERS_SHOWN = 5 };

/* ---- the picture ---- */

static void bar(struct olv_text *out, uint64_t part, uint64_t most, unsigned width)
{
    static const char *const eighths[] = {"", "▏", "▎", "▍", "▌", "▋", "▊", "▉"};
    unsigned length = most ? (unsigned)((double)part / (double)most * width * 8 + 0.5) : 0;
    if (part && !length)
        length = 1;
    for (unsigned i = 0; i < length / 8; i++)
        olv_text_puts(out, "█");
    olv_text_puts(out, eighths[length % 8]);
}

/* As wide as the terminal allows. */
static unsigned bar_width(const struct cli *cli)
{
    unsigned width = cli->width ? cli->width : 80;
    width = width > OTHER_COLUMNS ? width - OTHER_COLUMNS : 0;
    return width < LEAST_BAR ? LEAST_BAR : width > MOST_BAR ? MOST_BAR : width;
}

static void print_bands(struct cli *cli, const struct olv_survey *survey)
{
    static const struct table_column columns[] = {{.heading = "Age"},
                                                  {.heading = "Files", .is_right = true},
                                                  {.heading = "Size", .is_right = true},
                                                  {.heading = "Share of the size"}};
    bool is_narrow = cli->width && cli->width < NARROW;
    struct table *table = table_begin(cli, columns, is_narrow ? 3 : 4);
    unsigned width = bar_width(cli);
    uint64_t most = 0;
    for (unsigned i = 0; i < survey->band_count; i++)
        most = survey->bands[i].bytes > most ? survey->bands[i].bytes : most;
    for (unsigned i = 0; i < survey->band_count; i++) {
        const struct olv_survey_band *band = &survey->bands[i];
        enum term_style style = band->files ? STYLE_PLAIN : STYLE_FAINT;
        struct olv_text picture = {0};
        if (i + 1 == survey->band_count && band->files == 0)
            continue;
        table_cell(table, style, band->label);
        table_number(table, style, band->files);
        table_size(table, style, band->bytes);
        if (is_narrow)
            continue;
        bar(&picture, band->bytes, most, width);
        table_text(table, STYLE_GOOD, &picture);
    }
    table_end(table);
}

static void print_tops(struct cli *cli, const char *heading, const struct olv_survey_top *tops, size_t count)
{
    struct table_column columns[] = {
        {.heading = heading, .is_right = true}, {.heading = "Time"}, {.heading = "Path", .is_elastic = true}};
    struct table *table;
    if (count == 0)
        return;
    putchar('\n');
    table = table_begin(cli, columns, 3);
    for (size_t i = 0; i < count; i++) {
        table_size(table, STYLE_PLAIN, tops[i].size_bytes);
        table_date(table, STYLE_PLAIN, tops[i].when);
        table_name(table, STYLE_PLAIN, tops[i].path);
    }
    table_end(table);
}

static void print_owners(struct cli *cli, const struct olv_survey *survey)
{
    static const struct table_column columns[] = {
        {.heading = "Owner"}, {.heading = "Files", .is_right = true}, {.heading = "Size", .is_right = true}};
    struct table *table;
    if (survey->owner_count == 0)
        return;
    putchar('\n');
    table = table_begin(cli, columns, 3);
    for (size_t i = 0; i < survey->owner_count && i < OWNERS_SHOWN; i++) {
        char name[64];
        olv_user_name(survey->owners[i].owner, name, sizeof name);
        table_name(table, STYLE_PLAIN, name);
        table_number(table, STYLE_PLAIN, survey->owners[i].files);
        table_size(table, STYLE_PLAIN, survey->owners[i].bytes);
    }
    table_end(table);
    if (survey->owner_count > OWNERS_SHOWN)
        printf("and %zu more\n", survey->owner_count - OWNERS_SHOWN);
}

static void survey_view_print_picture(struct cli *cli, const struct olv_survey *survey)
{
    print_bands(cli, survey);
    print_tops(cli, "Largest", survey->largest, survey->largest_count);
    print_tops(cli, "Oldest", survey->eldest, survey->eldest_count);
    print_owners(cli, survey);
    putchar('\n');
}

static void survey_view_print_total(const struct olv_survey *survey, const struct survey_view *view)
{
    const char *others = survey->other_mounts == 1 ? " below and was not entered (--verbose names it)"
                                                   : " below and were not entered (--verbose names them)";
    printf("%s, %s, in %s", COUNT(survey->files, "entry", "entries"), SIZE(survey->bytes),
           COUNT(survey->directories, "directory", "directories"));
    if (survey->has_times)
        printf("; %s from %s to %s", olv_clock_word(view->clock), DATE(survey->oldest), DATE(survey->newest));
    if (survey->other_mounts)
        printf("; %s%s", COUNT(survey->other_mounts, "other file system begins", "other file systems begin"),
               others);
    putchar('\n');
}

/* ---- the list ---- */

static bool survey_view_next(struct olv_survey *survey, const struct survey_view *view, uint64_t *shown,
                             struct olv_sorted *record, struct olv_error *err)
{
    if (view->limit && *shown == view->limit)
        return false;
    ++*shown;
    return olv_sorter_next(survey->list, record, err);
}

static void print_table(struct cli *cli, struct olv_survey *survey, const struct survey_view *view,
                        struct olv_error *err)
{
    static const char *const clocks[] = {"Modified", "Accessed", "Changed", "Born"};
    struct table_column columns[] = {{.heading = clocks[view->clock], .width = 16},
                                     {.heading = "Size", .is_right = true, .width = 10},
                                     {.heading = "Kind", .width = 9},
                                     {.heading = "Owner", .width = 10},
                                     {.heading = "Path", .is_elastic = true}};
    struct table *table = table_begin(cli, columns, 5);
    struct olv_sorted record;
    uint64_t shown = 0;
    while (survey_view_next(survey, view, &shown, &record, err)) {
        struct olv_survey_entry e = olv_survey_entry(&record);
        char name[64];
        olv_user_name(e.stat.owner, name, sizeof name);
        table_date(table, STYLE_PLAIN, olv_stat_time(&e.stat, view->clock));
        table_size(table, STYLE_PLAIN, e.stat.size_bytes);
        table_cell(table, STYLE_FAINT, olv_kind_word(e.stat.kind));
        table_name(table, STYLE_FAINT, name);
        table_name(table, STYLE_PLAIN, e.path);
    }
    table_end(table);
}

static void print_formatted(struct olv_survey *survey, const struct survey_view *view, struct olv_error *err)
{
    struct olv_text line = {0};
    struct olv_sorted record;
    uint64_t shown = 0;
    while (survey_view_next(survey, view, &shown, &record, err)) {
        struct olv_survey_entry e = olv_survey_entry(&record);
        olv_text_clear(&line);
        template_write(view->format, &e, view->clock, view->now, &line);
        fwrite(olv_text_string(&line), 1, line.len, stdout);
    }
    olv_text_free(&line);
}

/* ---- for programs ---- */

static void survey_view_json_list(struct olv_survey *survey, const struct survey_view *view,
                                  struct olv_error *err)
{
    struct olv_sorted record;
    uint64_t shown = 0;
    while (survey_view_next(survey, view, &shown, &record, err)) {
        struct olv_survey_entry e = olv_survey_entry(&record);
        json_t *json = json_object();
        char mode[8];
        snprintf(mode, sizeof mode, "%04o", (unsigned)e.stat.mode & 07777u);
        olv_json_name(json, "path", e.path);
        olv_json_string(json, "kind", olv_kind_word(e.stat.kind));
        olv_json_number(json, "size", e.stat.size_bytes);
        olv_json_instant(json, "modified", e.stat.modified);
        olv_json_instant(json, "accessed", e.stat.accessed);
        olv_json_instant(json, "changed", e.stat.changed);
        if (e.stat.has_born)
            olv_json_instant(json, "born", e.stat.born);
        olv_json_number(json, "uid", e.stat.owner);
        olv_json_number(json, "gid", e.stat.group);
        olv_json_string(json, "mode", mode);
        olv_json_number(json, "links", e.stat.links);
        cli_print_json(json);
    }
}

static json_t *json_of_tops(const struct olv_survey_top *tops, size_t count)
{
    json_t *list = json_array();
    for (size_t i = 0; i < count; i++) {
        json_t *json = json_object();
        olv_json_name(json, "path", tops[i].path);
        olv_json_number(json, "size", tops[i].size_bytes);
        olv_json_instant(json, "time", tops[i].when);
        json_array_append_new(list, json);
    }
    return list;
}

static json_t *json_of_owners(const struct olv_survey *survey)
{
    json_t *list = json_array();
    for (size_t i = 0; i < survey->owner_count; i++) {
        json_t *json = json_object();
        char name[64];
        olv_user_name(survey->owners[i].owner, name, sizeof name);
        olv_json_number(json, "uid", survey->owners[i].owner);
        olv_json_name(json, "owner", name);
        olv_json_number(json, "entries", survey->owners[i].files);
        olv_json_number(json, "size", survey->owners[i].bytes);
        json_array_append_new(list, json);
    }
    return list;
}

static void survey_view_json(const struct olv_survey *survey, const struct survey_view *view)
{
    json_t *json = json_object(), *bands = json_array();
    olv_json_number(json, "entries", survey->files);
    olv_json_number(json, "size", survey->bytes);
    olv_json_number(json, "directories", survey->directories);
    olv_json_string(json, "clock", olv_clock_word(view->clock));
    if (survey->has_times) {
        olv_json_instant(json, "oldest", survey->oldest);
        olv_json_instant(json, "newest", survey->newest);
    }
    olv_json_number(json, "unreadable", survey->troubles);
    olv_json_number(json, "undecided", survey->undecided);
    olv_json_number(json, "other_file_systems", survey->other_mounts);
    for (unsigned i = 0; i < survey->band_count; i++) {
        json_t *band = json_object();
        olv_json_string(band, "age", survey->bands[i].label);
        olv_json_number(band, "entries", survey->bands[i].files);
        olv_json_number(band, "size", survey->bands[i].bytes);
        json_array_append_new(bands, band);
    }
    json_object_set_new(json, "bands", bands);
    json_object_set_new(json, "largest", json_of_tops(survey->largest, survey->largest_count));
    json_object_set_new(json, "eldest", json_of_tops(survey->eldest, survey->eldest_count));
    json_object_set_new(json, "owners", json_of_owners(survey));
    cli_print_json(json);
}

/* ---- */

static void survey_view_print(struct cli *cli, struct olv_survey *survey, const struct survey_view *view,
                              struct olv_error *err)
{
    watch_clear(cli);
    if (cli_has(cli, OPT_JSON) && survey->list)
        survey_view_json_list(survey, view, err);
    else if (cli_has(cli, OPT_JSON))
        survey_view_json(survey, view);
    else if (view->format)
        print_formatted(survey, view, err);
    else if (survey->list)
        print_table(cli, survey, view, err);
    else
        survey_view_print_picture(cli, survey);
    if (!cli_has(cli, OPT_JSON) && !cli_has(cli, OPT_QUIET) && !view->format)
        survey_view_print_total(survey, view);
}

void survey_show(struct cli *cli, struct olv_survey *survey, const struct survey_view *view,
                 struct olv_error *err)
{
    if (err->code == OLV_OK && survey->roots)
        survey_view_print(cli, survey, view, err);
    if (err->code != OLV_OK)
        cli_report(cli, err);
    watch_print_troubles(cli);
    if (survey->troubles)
        cli_mark(cli, STATUS_SOME_FAILED);
    if (survey->troubles && survey->roots)
        term_message(cli, STYLE_WARN, "%s could not be read, so the picture is incomplete",
                     COUNT(survey->troubles, "place", "places"));
    if (survey->undecided)
        term_message(cli, STYLE_WARN, "--where could not be decided for %s, which are left out",
                     COUNT(survey->undecided, "entry", "entries"));
}
