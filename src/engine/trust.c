/* SPDX-License-Identifier: Apache-2.0 */
#include "olvido/trust.h"

#include "depot/trust.h"
#include "file/trusted.h"
#include "os/os.h"
#include "policy/document.h"

#include <errno.h>
#include <string.h>
#include <unistd.h>

static bool leads_where_nobody_else(const char *path)
{
    struct olv_error err = {0};
    int fd = depot_open_trusted(path, &err);
    if (fd >= 0)
        close(fd);
    return err.code != OLV_UNTRUSTED;
}

/* A link of a stranger is not followed: the path stays as written, and opening it reports the link. */
static struct olv_policy *follow_no_strangers(struct olv_policy *policy)
{
    for (size_t i = 0; policy && i < policy->depot_count; i++) {
        struct olv_depot *d = &policy->depots[i];
        if (leads_where_nobody_else(d->path) && !leads_where_nobody_else(d->written))
            d->path = d->written;
    }
    return policy;
}

struct olv_policy *olv_policy_load_trusted(const char *path, struct olv_diagnostics *diagnostics,
                                           struct olv_error *err)
{
    struct olv_policy *policy;
    int fd;
    if (geteuid() != 0)
        return follow_no_strangers(olv_policy_load(path, diagnostics, err));
    fd = trusted_open(path, "the policy", OLV_POLICY, err);
    if (fd < 0)
        return NULL;
    policy = olv_policy_load_from(fd, path, diagnostics, err);
    close(fd);
    return follow_no_strangers(policy);
}

bool olv_settings_read_trusted(struct olv_settings *settings, const char *path, bool is_system,
                               struct olv_diagnostics *list, struct olv_error *err)
{
    int fd =
        geteuid() == 0 ? trusted_open(path, "the settings", OLV_UNTRUSTED, err) : document_open(path, err);
    bool ok = fd >= 0 && olv_settings_read(settings, fd, path, is_system, list, err);
    if (fd < 0 && (err->sys == ENOENT || err->sys == ENOTDIR)) {
        olv_error_clear(err);
        ok = true;
    }
    olv_os_close(fd);
    return ok;
}

/* The directory itself is checked when it is opened. */
bool olv_state_is_trusted(const char *path, struct olv_error *err)
{
    return geteuid() != 0 || trusted_above(path, "the state directory", OLV_STATE, err);
}

char *olv_path_resolve(const char *path, struct olv_error *err)
{
    return trusted_resolve(path, err);
}
