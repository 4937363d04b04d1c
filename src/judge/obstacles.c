/* SPDX-License-Identifier: Apache-2.0 */
#include "judge/obstacles.h"

#include "file/identity.h"
#include "olvido/guard.h"

#include <fcntl.h>
#include <unistd.h>

static void add(struct olv_obstacles *o, bool is_so, enum olv_obstacle what)
{
    if (is_so)
        o->items[o->count++] = what;
}

static void obstacles_guard(const struct olv_guard *guard, const struct olv_stat *stat, const char *path,
                            struct olv_obstacles *o)
{
    enum olv_barrier barrier = olv_guard_of(guard, path);
    bool is_own = guard && olv_guard_is_own(guard, stat->device, stat->inode);
    add(o, barrier == OLV_SYSTEM_PLACE, OLV_OBSTACLE_SYSTEM);
    add(o, is_own, OLV_OBSTACLE_OWN_FILE);
    add(o, !is_own && barrier == OLV_OWN_PLACE, OLV_OBSTACLE_OWN_PLACE);
}

/* What in a directory owned by a rule keeps it from going as a whole. */
static void obstacles_inside(const struct judging *judging, const struct olv_scan_entry *entry,
                             const struct whole_view *whole, struct olv_obstacles *o)
{
    const struct summary *s = &whole->summary;
    const struct olv_guard *guard = judging->options->guard;
    const struct olv_stat *stat = &entry->stat;
    struct olv_stat directory;
    if (stat->kind != OLV_KIND_DIRECTORY)
        return;
    add(o, olv_guard_landmark(guard, stat->device, stat->inode) != NULL, OLV_OBSTACLE_LANDMARK);
    add(o, olv_os_stat(entry->dir_fd, "", &directory) && olv_begins_another(&directory, stat),
        OLV_OBSTACLE_MOUNT);
    if (!whole->is_directory || s->judged.reason != OLV_DUE)
        return;
    add(o, s->is_blocked, OLV_OBSTACLE_BLOCKED_INSIDE);
    add(o, s->has_open && !judging->policy->rules[s->judged.rule].open_too, OLV_OBSTACLE_OPEN_INSIDE);
    add(o, s->owner == SUMMARY_SEVERAL || (s->owner != SUMMARY_NOBODY && s->owner != (int)s->judged.rule),
        OLV_OBSTACLE_OTHERS_INSIDE);
}

void obstacles_find(struct tree_subject *tree, const struct whole_view *whole, const char *path,
                    struct olv_obstacles *o)
{
    const struct judging *judging = tree->judge->judging;
    const struct olv_scan_entry *entry = tree->scan.entry;
    const struct olv_stat *stat = &entry->stat;
    struct olv_subject *subject = &tree->scan.subject;
    enum olv_truth open = subject->facts->is_open(subject);
    struct olv_os_mount_facts mount;
    struct olv_stat directory = {0};
    bool is_read_only = olv_os_facts_of_mount(entry->dir_fd, &mount) && mount.is_read_only;
    o->count = 0;
    obstacles_guard(judging->options->guard, stat, path, o);
    obstacles_inside(judging, entry, whole, o);
    add(o, subject->facts->is_held(subject) != OLV_NO, OLV_OBSTACLE_HELD);
    add(o, subject->facts->in_respite(subject), OLV_OBSTACLE_RECOVERED);
    add(o, open == OLV_YES, OLV_OBSTACLE_OPEN);
    add(o, open == OLV_UNKNOWN && stat->kind == OLV_KIND_FILE, OLV_OBSTACLE_MAYBE_OPEN);
    add(o, stat->is_immutable, OLV_OBSTACLE_IMMUTABLE);
    add(o, stat->is_append_only, OLV_OBSTACLE_APPEND_ONLY);
    olv_os_stat(entry->dir_fd, "", &directory);
    add(o, directory.is_immutable, OLV_OBSTACLE_IMMUTABLE_DIRECTORY);
    add(o, directory.is_append_only, OLV_OBSTACLE_APPEND_ONLY_DIRECTORY);
    add(o, is_read_only, OLV_OBSTACLE_READ_ONLY);
    add(o, !is_read_only && faccessat(entry->dir_fd, ".", W_OK | X_OK, AT_EACCESS) < 0,
        OLV_OBSTACLE_NOT_YOURS);
}
