/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/views.h"

struct olv_archive *archive_view_open(struct cli *cli, struct olv_member_filter *filter)
{
    struct olv_error err = {0};
    struct olv_archive *archive = olv_archive_open(cli->arguments[0], &err);
    *filter = (struct olv_member_filter){cli->arguments + 1, cli->argument_count - 1};
    if (archive)
        watch_expect_bytes(cli, olv_archive_size(archive));
    else
        cli_report(cli, &err);
    return archive;
}

void archive_view_nothing(struct cli *cli)
{
    term_message(cli, STYLE_WARN, "the archive has nothing that fits");
    cli_mark(cli, STATUS_SOME_FAILED);
}

void archive_view_describe(const struct olv_archive *archive, struct olv_text *out)
{
    static const char *const forms[] = {"tar", "zip", ""};
    enum olv_codec codec = olv_archive_codec(archive);
    const char *form = forms[olv_archive_form(archive)];
    olv_text_puts(out, form);
    if (codec != OLV_CODEC_NONE)
        olv_text_printf(out, "%spacked by %s", *form ? ", " : "", olv_codec_word(codec));
}
