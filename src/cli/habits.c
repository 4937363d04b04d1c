/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/habits.h"

#include "cli/views.h"
#include "olvido/home.h"
#include "olvido/trust.h"

#include <limits.h>
#include <string.h>
#include <unistd.h>

/* One that others can write says nothing, as if it were not there. */
static bool read_one(struct cli *cli, const char *path, bool is_system, struct olv_settings *out)
{
    struct olv_diagnostics list = {0};
    struct olv_error err = {0};
    bool ok = olv_settings_read_trusted(out, path, is_system, &list, &err);
    if (!ok && err.code == OLV_UNTRUSTED) {
        term_message(cli, STYLE_WARN, "%s is ignored: %s", path, err.what);
        ok = true;
    } else if (!ok && list.count) {
        policy_print_diagnostics(cli, path, &list);
        term_message(cli, STYLE_ERROR, "%s in the settings; nothing was done",
                     COUNT(list.count, "error", "errors"));
        cli_mark(cli, STATUS_USAGE);
    } else if (!ok) {
        cli_report(cli, &err);
        cli_mark(cli, STATUS_USAGE);
    }
    olv_diagnostics_free(&list);
    return ok;
}

static bool own_path(struct cli *cli, char path[PATH_MAX])
{
    struct olv_error ignored = {0}; /* without a home there is none */
    return geteuid() != 0 && !cli_has(cli, OPT_UNATTENDED) && olv_settings_home(path, PATH_MAX, &ignored);
}

bool habits_read(struct cli *cli, struct olv_settings *out)
{
    char path[PATH_MAX];
    return read_one(cli, olv_settings_of_system, true, out) &&
           (!own_path(cli, path) || read_one(cli, path, false, out));
}

static void check_one(struct cli *cli, const char *path, bool is_system, struct olv_settings *settings)
{
    bool is_there = access(path, F_OK) == 0;
    if (!read_one(cli, path, is_system, settings) || !is_there || cli_has(cli, OPT_JSON))
        return;
    for (int i = 0; i < OLV_SETTINGS; i++)
        if (settings->is_forbidden[i] && is_system)
            term_message(cli, STYLE_PLAIN, "%s: sound; `%s` is not for users to set", path,
                         olv_setting_name((enum olv_setting)i));
    term_message(cli, STYLE_PLAIN, "%s: sound", path);
}

void habits_check(struct cli *cli)
{
    struct olv_settings settings = {0};
    char path[PATH_MAX];
    check_one(cli, olv_settings_of_system, true, &settings);
    if (own_path(cli, path))
        check_one(cli, path, false, &settings);
    olv_settings_free(&settings);
}

void habits_origin(const struct cli *cli, enum olv_setting setting, struct olv_text *out)
{
    if (!cli->settings.from[setting])
        return;
    olv_text_printf(out, " (`%s: %s` in ", olv_setting_name(setting), cli->settings.words[setting]);
    term_name(out, cli->settings.from[setting]);
    olv_text_puts(out, ")");
}
