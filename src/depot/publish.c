/* SPDX-License-Identifier: Apache-2.0 */
#include "depot/publish.h"

#include "os/os.h"

#include <unistd.h>

bool depot_publish_beside(struct fresh *archive, const char *wanted, char placed[NAME_MAX + 1],
                          struct olv_error *err)
{
    return fresh_publish(archive, wanted, OLV_REFUSE, placed, err) &&
           (fsync(archive->dir) == 0 || olv_fail_system(err, "", "cannot sync the archive's directory"));
}

bool depot_publish(struct olv_catalogue *catalogue, int64_t row, struct fresh *archive, depot_naming naming,
                   const char *wanted, char placed[NAME_MAX + 1], struct olv_error *err)
{
    enum { MOST = 10000 };
    struct olv_stat stat;
    char name[NAME_MAX + 1];
    if (!olv_os_stat(archive->fd, "", &stat))
        return olv_fail_system(err, "", "cannot look at the new archive");
    for (unsigned more = 0; more < MOST; more++) {
        olv_error_clear(err);
        naming(wanted, more, name);
        if (catalogue_name(catalogue, row, name, &stat, err) &&
            fresh_publish(archive, name, OLV_REFUSE, placed, err))
            return fsync(archive->dir) == 0 || olv_fail_system(err, "", "cannot sync the depot");
        placed[0] = '\0';
        if (err->code != OLV_EXISTS)
            break;
    }
    return false;
}

bool depot_take_back(struct fresh *archive, const char *placed)
{
    return fresh_take_back(archive, placed) && fsync(archive->dir) == 0;
}
