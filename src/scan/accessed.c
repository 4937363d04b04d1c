/* SPDX-License-Identifier: Apache-2.0 */
#include "scan/accessed.h"

#include "os/os.h"

static bool is_new(struct accessed *a, uint64_t mount)
{
    for (unsigned i = 0; i < a->count; i++)
        if (a->mounts[i] == mount)
            return false;
    if (a->count == ACCESSED_MOST)
        return false;
    a->mounts[a->count++] = mount;
    return true;
}

struct telling {
    const struct olv_observer *observer;
    uint64_t mount;
};

static bool tell_mount(void *self, const struct olv_os_mount *mount)
{
    const struct telling *t = self;
    if (mount->id != t->mount)
        return true;
    olv_observe_trouble(
        t->observer,
        (struct olv_trouble){OLV_TROUBLE_ACCESSED, mount->point,
                             "directories of others are read here, which changes their access times: "
                             "what counts from those may not come due",
                             0});
    return false;
}

void accessed_tell(struct accessed *a, int fd, const struct olv_observer *observer)
{
    struct olv_os_mount_facts facts;
    struct olv_stat stat;
    if (!olv_os_stat(fd, "", &stat) || !is_new(a, stat.mount))
        return;
    if (olv_os_facts_of_mount(fd, &facts) && facts.access_times != OLV_NO && !facts.is_read_only)
        olv_os_each_mount(tell_mount, &(struct telling){observer, stat.mount});
}
