/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/table.h"
#include "cli/term.h"
#include "cli/watch.h"
#include "olvido/json.h"
#include "olvido/machine.h"
#include "olvido/nearest.h"
#include "olvido/quantity.h"
#include "olvido/survey.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

enum { MOST_PATHS = 4096, BAR = 24 };

struct request {
    struct olv_survey_options options;
    struct olv_duration older, newer;
    const char *paths[MOST_PATHS]; /* canonical; owned */
    size_t count;
    uint64_t missing;
};

/* ---- what is asked for ---- */

static bool read_kinds(struct cli *cli, struct request *r, enum cli_status *status)
{
    const char *words[OLV_KIND_DEVICE];
    for (unsigned k = OLV_KIND_FILE; k <= OLV_KIND_DEVICE; k++)
        words[k - 1] = olv_kind_word((enum olv_kind)k);
    for (size_t i = 0; i < cli->options[OPT_KIND].count; i++) {
        const char *word = cli->options[OPT_KIND].values[i],
                   *near = olv_nearest(word, strlen(word), words, OLV_KIND_DEVICE);
        unsigned kind = OLV_KIND_FILE;
        while (kind <= OLV_KIND_DEVICE && strcmp(words[kind - 1], word) != 0)
            kind++;
        if (kind > OLV_KIND_DEVICE) {
            *status = cli_usage(cli, "`%s` is no kind%s%s%s", word, near ? "; did you mean `" : "",
                                near ? near : "", near ? "`?" : "");
            return false;
        }
        r->options.kinds |= 1u << kind;
    }
    return true;
}

static bool read_options(struct cli *cli, struct request *r, enum cli_status *status)
{
    r->options.now = olv_os_now();
    r->options.wants_list = cli_has(cli, OPT_LIST);
    if (cli_has(cli, OPT_OLDER_THAN)) {
        if (!cli_duration(cli, OPT_OLDER_THAN, &r->older, status))
            return false;
        r->options.older_than = &r->older;
    }
    if (cli_has(cli, OPT_NEWER_THAN)) {
        if (!cli_duration(cli, OPT_NEWER_THAN, &r->newer, status))
            return false;
        r->options.newer_than = &r->newer;
    }
    return read_kinds(cli, r, status);
}

static void complain_about(struct cli *cli, struct request *r, const char *path, const char *what, int sys)
{
    olv_observe_trouble(&cli->observer, (struct olv_trouble){OLV_TROUBLE_UNREADABLE, path, what, sys});
    r->missing++;
}

static void add_path(struct cli *cli, struct request *r, const char *path)
{
    char *real = realpath(path, NULL);
    struct stat st;
    if (!real) {
        complain_about(cli, r, path, "looking for it", errno);
    } else if (stat(real, &st) < 0 || !S_ISDIR(st.st_mode)) {
        complain_about(cli, r, path, "it is not a directory", 0);
        free(real);
    } else {
        r->paths[r->count++] = real;
    }
}

static int by_name(const void *a, const void *b)
{
    const char *const *x = a, *const *y = b;
    return strcmp(*x, *y);
}

/* What lies within another one of the paths is looked at once. */
static void drop_nested(struct request *r)
{
    size_t kept = 0;
    if (r->count)
        qsort(r->paths, r->count, sizeof *r->paths, by_name);
    for (size_t i = 0; i < r->count; i++) {
        size_t n = kept ? strlen(r->paths[kept - 1]) : 0;
        bool is_nested = kept && strncmp(r->paths[i], r->paths[kept - 1], n) == 0 &&
                         (r->paths[i][n] == '/' || r->paths[i][n] == '\0' || n == 1);
        if (is_nested)
            free((char *)(uintptr_t)r->paths[i]);
        else
            r->paths[kept++] = r->paths[i];
    }
    r->count = kept;
}

static void read_paths(struct cli *cli, struct request *r)
{
    if (cli->argument_count == 0)
        add_path(cli, r, ".");
    for (size_t i = 0; i < cli->argument_count; i++)
        add_path(cli, r, cli->arguments[i]);
    drop_nested(r);
}

/* ---- for people ---- */

static void bar(struct olv_text *out, uint64_t part, uint64_t most)
{
    static const char *const eighths[] = {"", "▏", "▎", "▍", "▌", "▋", "▊", "▉"};
    unsigned length = most ? (unsigned)((double)part / (double)most * BAR * 8 + 0.5) : 0;
    if (part && !length)
        length = 1;
    for (unsigned i = 0; i < length / 8; i++)
        olv_text_puts(out, "█");
    olv_text_puts(out, eighths[length % 8]);
}

static void print_bands(struct cli *cli, const struct olv_survey *survey)
{
    static const struct table_column columns[] = {{.heading = "Age"},
                                                  {.heading = "Files", .is_right = true},
                                                  {.heading = "Size", .is_right = true},
                                                  {.heading = "Share of the size"}};
    struct table *table = table_begin(cli, columns, cli->width && cli->width < 60 ? 3 : 4);
    uint64_t most = 0;
    for (unsigned i = 0; i < OLV_SURVEY_BANDS; i++)
        most = survey->bands[i].bytes > most ? survey->bands[i].bytes : most;
    for (unsigned i = 0; i < OLV_SURVEY_BANDS; i++) {
        const struct olv_survey_band *band = &survey->bands[i];
        enum term_style style = band->files ? STYLE_PLAIN : STYLE_FAINT;
        struct olv_text files = {0}, picture = {0};
        char size[OLV_SIZE_TEXT];
        if (i + 1 == OLV_SURVEY_BANDS && band->files == 0)
            continue;
        term_number(&files, band->files);
        bar(&picture, band->bytes, most);
        table_cell(table, style, band->label);
        table_cell(table, style, olv_text_string(&files));
        table_cell(table, style, olv_size_format(band->bytes, size));
        if (!cli->width || cli->width >= 60)
            table_cell(table, STYLE_GOOD, olv_text_string(&picture));
        olv_text_free(&files);
        olv_text_free(&picture);
    }
    table_end(table);
}

static void print_total(const struct olv_survey *survey)
{
    struct olv_text line = {0};
    char size[OLV_SIZE_TEXT], oldest[TERM_DATE], newest[TERM_DATE];
    term_count(&line, survey->files, "entry", "entries");
    olv_text_printf(&line, ", %s, in ", olv_size_format(survey->bytes, size));
    term_count(&line, survey->directories, "directory", "directories");
    if (survey->files)
        olv_text_printf(&line, "; modified from %s to %s", term_date(survey->oldest, oldest),
                        term_date(survey->newest, newest));
    if (survey->other_mounts) {
        olv_text_puts(&line, "; ");
        term_count(&line, survey->other_mounts, "other file system begins", "other file systems begin");
        olv_text_puts(&line, survey->other_mounts == 1
                                 ? " below and was not entered (--verbose names it)"
                                 : " below and were not entered (--verbose names them)");
    }
    printf("%s\n", olv_text_string(&line));
    olv_text_free(&line);
}

static void print_list(struct cli *cli, struct olv_survey *survey, struct olv_error *err)
{
    static const struct table_column columns[] = {{.heading = "Modified", .width = 16},
                                                  {.heading = "Size", .is_right = true, .width = 10},
                                                  {.heading = "Kind", .width = 9},
                                                  {.heading = "Path", .is_elastic = true}};
    struct table *table = table_begin(cli, columns, 4);
    struct olv_record record;
    while (olv_sorter_next(survey->list, &record, err)) {
        struct olv_survey_entry e = olv_survey_entry(&record);
        struct olv_text path = {0};
        char size[OLV_SIZE_TEXT], date[TERM_DATE];
        term_name(&path, e.path);
        table_cell(table, STYLE_PLAIN, term_date(e.modified, date));
        table_cell(table, STYLE_PLAIN, olv_size_format(e.size_bytes, size));
        table_cell(table, STYLE_FAINT, olv_kind_word(e.kind));
        table_cell(table, STYLE_PLAIN, olv_text_string(&path));
        olv_text_free(&path);
    }
    table_end(table);
}

/* ---- for programs ---- */

static void print_json_list(struct olv_survey *survey, struct olv_error *err)
{
    struct olv_record record;
    while (olv_sorter_next(survey->list, &record, err)) {
        struct olv_survey_entry e = olv_survey_entry(&record);
        json_t *json = json_object();
        olv_json_name(json, "path", e.path);
        olv_json_string(json, "kind", olv_kind_word(e.kind));
        olv_json_number(json, "size", e.size_bytes);
        olv_json_instant(json, "modified", e.modified);
        cli_print_json(json);
    }
}

static void print_json_bands(const struct olv_survey *survey, uint64_t unreadable)
{
    json_t *json = json_object(), *bands = json_array();
    olv_json_number(json, "entries", survey->files);
    olv_json_number(json, "size", survey->bytes);
    olv_json_number(json, "directories", survey->directories);
    if (survey->files) {
        olv_json_instant(json, "oldest", survey->oldest);
        olv_json_instant(json, "newest", survey->newest);
    }
    olv_json_number(json, "unreadable", unreadable);
    olv_json_number(json, "other_file_systems", survey->other_mounts);
    for (unsigned i = 0; i < OLV_SURVEY_BANDS; i++) {
        json_t *band = json_object();
        olv_json_string(band, "age", survey->bands[i].label);
        olv_json_number(band, "entries", survey->bands[i].files);
        olv_json_number(band, "size", survey->bands[i].bytes);
        json_array_append_new(bands, band);
    }
    json_object_set_new(json, "bands", bands);
    cli_print_json(json);
}

/* ---- */

static void print(struct cli *cli, struct olv_survey *survey, const struct request *r, struct olv_error *err)
{
    watch_clear(cli);
    if (cli_has(cli, OPT_JSON) && r->options.wants_list)
        print_json_list(survey, err);
    else if (cli_has(cli, OPT_JSON))
        print_json_bands(survey, survey->troubles + r->missing);
    else if (r->options.wants_list)
        print_list(cli, survey, err);
    else
        print_bands(cli, survey);
    if (!cli_has(cli, OPT_JSON) && !cli_has(cli, OPT_QUIET))
        print_total(survey);
}

static enum cli_status survey_paths(struct cli *cli, struct request *r)
{
    struct olv_survey survey = {0};
    struct olv_error err = {0};
    enum cli_status status = STATUS_DONE;
    uint64_t unseen;
    if (r->count == 0) {
        watch_print_troubles(cli);
        return STATUS_SOME_FAILED;
    }
    if (olv_survey_make(&survey, r->paths, r->count, &r->options, &cli->observer, &err))
        print(cli, &survey, r, &err);
    if (err.code != OLV_OK)
        status = cli_report(cli, &err);
    watch_print_troubles(cli);
    unseen = survey.troubles + r->missing;
    if (unseen) {
        term_message(cli, STYLE_WARN, "%llu %s could not be read, so the picture is incomplete",
                     (unsigned long long)unseen, unseen == 1 ? "place" : "places");
        status = cli_worse(status, STATUS_SOME_FAILED);
    }
    olv_survey_free(&survey);
    return status;
}

static enum cli_status run(struct cli *cli)
{
    struct request *r = calloc(1, sizeof *r);
    enum cli_status status = STATUS_USAGE;
    if (!r)
        return STATUS_SOME_FAILED;
    if (read_options(cli, r, &status)) {
        read_paths(cli, r);
        status = survey_paths(cli, r);
    }
    for (size_t i = 0; i < r->count; i++)
        free((char *)(uintptr_t)r->paths[i]);
    free(r);
    return status;
}

static const enum cli_option options[] = {OPT_LIST, OPT_OLDER_THAN, OPT_NEWER_THAN, OPT_KIND, OPT_NONE};

const struct cli_command cmd_survey = {
    .name = "survey",
    .stage = "Look",
    .arguments = "[PATH…]",
    .summary = "Shows how old and how big what lies in a tree is",
    .help = "Without a PATH it is the working directory. Links are not followed, and other file systems that "
            "begin below a\n"
            "PATH are not entered. Everything but directories is counted, unless --kind says otherwise. Age "
            "is that of the\n"
            "last modification. Places that may not be read are named, and the exit status is then 1.\n",
    .options = options,
    .most = MOST_PATHS,
    .run = run,
};
