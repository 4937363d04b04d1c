/* SPDX-License-Identifier: Apache-2.0 */
/* Shared by commands: statuses, error reports, and the paths of policy and state. */
#include "cli/cli.h"
#include "cli/views.h"
#include "olvido/home.h"
#include "olvido/nearest.h"
#include "olvido/quantity.h"
#include "olvido/run.h"
#include "olvido/trust.h"

#include <errno.h>
#include <limits.h>
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>

void cli_mark(struct cli *cli, enum cli_status status)
{
    static const enum cli_status order[] = {STATUS_BROKEN,    STATUS_INTERRUPTED, STATUS_USAGE,
                                            STATUS_NOT_BEGUN, STATUS_SOME_FAILED, STATUS_REFUSED,
                                            STATUS_DONE};
    size_t i = 0;
    while (order[i] != status && order[i] != cli->status)
        i++;
    cli->status = order[i];
}

enum cli_status cli_status_of(enum olv_code code)
{
    switch (code) {
    case OLV_USAGE:
    case OLV_POLICY:
        return STATUS_USAGE;
    case OLV_REFUSED:
    case OLV_EXISTS:
    case OLV_UNTRUSTED:
        return STATUS_REFUSED;
    case OLV_STATE:
        return STATUS_NOT_BEGUN;
    case OLV_BROKEN:
        return STATUS_BROKEN;
    case OLV_INTERRUPTED:
        return STATUS_INTERRUPTED;
    default:
        return STATUS_SOME_FAILED;
    }
}

static void print_where_help_is(const struct cli *cli)
{
    fprintf(stderr, "  `olvido help%s%s` shows how it is used\n", cli->command ? " " : "",
            cli->command ? cli->command->name : "");
}

void cli_print_error(const struct cli *cli, const struct olv_error *err)
{
    if (cli->watch)
        watch_clear((struct cli *)(uintptr_t)cli);
    term_message(cli, STYLE_ERROR, "%s%s%s%s%s", err->path, *err->path ? ": " : "",
                 *err->what ? err->what : "it failed, and nothing tells why", err->sys ? ": " : "",
                 err->sys ? strerror(err->sys) : "");
    if (err->hint)
        fprintf(stderr, "  %s\n", err->hint);
    else if (err->code == OLV_USAGE)
        print_where_help_is(cli);
}

bool cli_report(struct cli *cli, const struct olv_error *err)
{
    cli_print_error(cli, err);
    cli_mark(cli, cli_status_of(err->code));
    return false;
}

bool cli_memory(struct cli *cli)
{
    struct olv_error err;
    olv_fail_memory(&err);
    return cli_report(cli, &err);
}

bool cli_usage(struct cli *cli, const char *format, ...)
{
    struct olv_text text = {0};
    va_list args;
    va_start(args, format);
    olv_text_vprintf(&text, format, args);
    va_end(args);
    term_message(cli, STYLE_ERROR, "%s", olv_text_string(&text));
    print_where_help_is(cli);
    olv_text_free(&text);
    cli_mark(cli, STATUS_USAGE);
    return false;
}

void cli_print_json(json_t *json)
{
    struct olv_text line = {0};
    olv_json_line(json, &line);
    puts(olv_text_string(&line));
    olv_text_free(&line);
    json_decref(json);
}

static bool common_fits(struct cli *cli, const char *value, char *out, size_t size)
{
    return (size_t)snprintf(out, size, "%s", value) < size || cli_usage(cli, "that path is too long");
}

bool cli_policy_path(struct cli *cli, char *out, size_t size)
{
    const char *given = cli_value(cli, OPT_POLICY);
    struct olv_error err = {0};
    if (given)
        return common_fits(cli, given, out, size);
    if (olv_policy_home(out, size, &err))
        return true;
    return cli_report(cli, &err);
}

bool cli_state_path(struct cli *cli, char *out, size_t size)
{
    const char *given = cli_value(cli, OPT_STATE);
    struct olv_error err = {0};
    if (given && !common_fits(cli, given, out, size))
        return false;
    if ((given || olv_state_home(out, size, &err)) && olv_state_is_trusted(out, &err))
        return true;
    return cli_report(cli, &err);
}

struct olv_policy *cli_load_policy(struct cli *cli, const char *path)
{
    struct olv_diagnostics list = {0};
    struct olv_error err = {0};
    struct olv_policy *policy = olv_policy_load_trusted(path, &list, &err);
    if (!policy && list.count == 0) {
        if (err.sys == ENOENT && !cli_has(cli, OPT_POLICY))
            olv_error_hint(
                &err,
                "write a policy there, or name one: --policy FILE (`olvido demo DIR` makes an example)");
        cli_report(cli, &err);
        cli_mark(cli, STATUS_USAGE); /* an unreadable policy counts as a wrong one */
    } else if (!policy) {
        policy_print_diagnostics(cli, path, &list);
        term_message(cli, STYLE_ERROR, "%s in the policy; nothing was done",
                     COUNT(list.count, "error", "errors"));
        cli_mark(cli, STATUS_USAGE);
    }
    olv_diagnostics_free(&list);
    return policy;
}

struct olv_policy *cli_policy(struct cli *cli)
{
    char path[PATH_MAX];
    return cli_policy_path(cli, path, sizeof path) ? cli_load_policy(cli, path) : NULL;
}
