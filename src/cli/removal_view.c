/* SPDX-License-Identifier: Apache-2.0 */
/* What became of what was named: a line for each entry if they are few, or with --verbose; else one for each
 * argument, if those are few. */
#include "cli/views.h"
#include "olvido/path.h"

#include <stdlib.h>
#include <string.h>

/* Its canonical path, as far as its directory is there. */
static char *path_of(const char *typed)
{
    struct olv_text path = {0};
    char *cut = strdup(typed), *above, *real;
    size_t len = cut ? strlen(cut) : 0;
    while (len > 1 && cut[len - 1] == '/')
        cut[--len] = '\0';
    above = cut ? olv_path_directory(cut) : NULL;
    real = above ? olv_path_real(above) : NULL;
    if (real)
        olv_path_add(&path, real, olv_path_name(cut));
    free(cut);
    free(above);
    free(real);
    return path.data;
}

static struct removal_sum *sum_of(struct removal_view *view, const char *path)
{
    for (size_t i = 0; i < view->sum_count; i++)
        if (view->sums[i].path && olv_path_behind(path, view->sums[i].path))
            return &view->sums[i];
    return NULL;
}

static void print_row(struct removal_view *view, const struct olv_result_facts *f, bool is_done)
{
    struct olv_text what = {0};
    term_name(&what, f->path);
    if (f->is_directory)
        olv_text_puts(&what, "/");
    if (f->is_directory && f->files)
        olv_text_printf(&what, " (%s)", COUNT(f->files, "file", "files"));
    if (*f->reason) {
        olv_text_puts(&what, ": ");
        term_name(&what, f->reason);
    }
    table_cell(view->table, is_done ? STYLE_PLAIN : STYLE_WARN, is_done ? view->past : f->result);
    table_size(view->table, STYLE_PLAIN, f->size_bytes);
    table_text(view->table, STYLE_PLAIN, &what);
}

static void on_outcome(void *self, const struct olv_result_facts *f)
{
    struct removal_view *view = self;
    bool is_done = strcmp(f->result, "done") == 0;
    struct removal_sum *sum = view->table || !is_done ? NULL : sum_of(view, f->path);
    if (view->is_json) {
        outcome_view_print_json(f);
    } else if (view->table) {
        watch_hide(view->cli);
        print_row(view, f, is_done);
    } else if (sum) {
        sum->files += f->files;
        sum->directories += f->is_directory;
        sum->bytes += f->size_bytes;
    }
}

void removal_view_begin(struct removal_view *view, struct cli *cli, const char *past, uint64_t entries,
                        const char *const *typed, size_t count)
{
    static const struct table_column columns[] = {{.heading = "What", .width = 11},
                                                  {.heading = "Size", .is_right = true, .width = 10},
                                                  {.heading = "Path", .is_elastic = true}};
    bool is_few = entries <= REMOVAL_SHOWN || cli_has(cli, OPT_VERBOSE), is_quiet = cli_has(cli, OPT_QUIET);
    *view = (struct removal_view){.cli = cli, .past = past, .is_json = cli_has(cli, OPT_JSON)};
    view->table = is_few && !is_quiet ? table_begin(cli, columns, 3) : NULL;
    for (size_t i = 0; !is_few && !is_quiet && count <= REMOVAL_SHOWN && i < count; i++)
        view->sums[view->sum_count++] = (struct removal_sum){.typed = typed[i], .path = path_of(typed[i])};
    watch_outcomes(cli, on_outcome, view);
}

void removal_view_end(struct removal_view *view)
{
    watch_outcomes(view->cli, NULL, NULL);
    table_end(view->table);
    for (size_t i = 0; i < view->sum_count; i++) {
        struct removal_sum *sum = &view->sums[i];
        struct olv_text name = {0};
        term_name(&name, sum->typed);
        if (!view->is_json && sum->files + sum->directories)
            printf("%s: %s %s (%s)\n", olv_text_string(&name), FILES(sum->files, sum->directories),
                   view->past, SIZE(sum->bytes));
        olv_text_free(&name);
        free(sum->path);
    }
}
