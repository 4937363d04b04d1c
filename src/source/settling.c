/* SPDX-License-Identifier: Apache-2.0 */
#include "source/settling.h"

#include "file/identity.h"
#include "os/os.h"

#include <errno.h>

enum olv_truth settling_is_there(const struct turn *turn, const struct olv_docket_entry *e)
{
    struct olv_stat stat;
    if (!olv_os_stat(turn->directory.fd, e->name, &stat))
        return errno == ENOENT ? OLV_NO : OLV_UNKNOWN;
    return stat.device == turn->directory.device && olv_identity_survived(&e->identity, &stat) ? OLV_YES
                                                                                               : OLV_NO;
}

static bool is_given(const void *self, const struct olv_stat *stat)
{
    return given_is(self, stat);
}

bool settling_search_for(struct settling_search *out, const struct turn *turn,
                         const struct olv_docket_entry *e, const char *label, const char *wanted,
                         struct olv_error *err)
{
    enum olv_truth is_known = recorded_name(turn, turn->sequence, NULL, &out->given, err);
    out->search = (struct fresh_search){.label = label,
                                        .wanted = wanted,
                                        .if_exists = e->if_exists,
                                        .is_it = is_known == OLV_YES ? is_given : NULL,
                                        .self = &out->given};
    return is_known != OLV_UNKNOWN;
}
