/* SPDX-License-Identifier: Apache-2.0 */
#include "olvido/shrink.h"

#include "file/identity.h"
#include "olvido/path.h"
#include "os/os.h"
#include "shrink/shrink.h"

#include <fcntl.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

/* Opens the directory of a path; `name` points to its last component. -1 with `err`. */
static int to_open_directory(const char *path, const char **name, struct olv_error *err)
{
    char *above = olv_path_directory(path);
    int fd = above ? open(above, O_RDONLY | O_DIRECTORY | O_CLOEXEC) : -1;
    *name = olv_path_name(path);
    if (fd < 0)
        olv_fail_system(err, above ? above : path, "cannot open the directory");
    free(above);
    return fd;
}

static bool to_publish(struct shrinker *s, struct shrink_task *t, const struct olv_shrink_request *r,
                       const char *name, struct olv_error *err)
{
    char placed[NAME_MAX + 1];
    if (fsync(t->fresh.fd) != 0)
        return olv_fail_system(err, r->to, "cannot sync it");
    return shrink_prove(s, t, err) && fresh_publish(&t->fresh, name, r->if_exists, placed, err) &&
           (fsync(t->to_dir) == 0 || olv_fail_system(err, r->to, "cannot sync its directory"));
}

static bool to_run(struct shrinker *s, struct shrink_task *t, const struct olv_shrink_request *r,
                   const char *to_name, struct olv_error *err)
{
    bool ok = r->unpacks ? shrink_unpack(s, t, err) : shrink_pack(s, t, err);
    return ok && (!r->to || to_publish(s, t, r, to_name, err));
}

bool olv_shrink_to(const struct olv_shrink_request *r, const struct olv_observer *observer,
                   struct olv_shrink_result *result, struct olv_error *err)
{
    const char *name = NULL, *to_name = NULL;
    struct shrinker *s = shrinker_new();
    int dir = to_open_directory(r->path, &name, err),
        to_dir = r->to ? to_open_directory(r->to, &to_name, err) : -1;
    struct olv_stat stat;
    struct olv_identity identity;
    bool ok = dir >= 0 && (!r->to || to_dir >= 0) && (s || olv_fail_memory(err));
    if (ok && !olv_os_stat(dir, name, &stat))
        ok = olv_fail_system(err, r->path, "cannot look at it");
    if (ok && stat.kind != OLV_KIND_FILE)
        ok = olv_fail(err, OLV_SYSTEM, "it is not a regular file") || olv_error_at(err, r->path);
    if (ok) {
        struct shrink_task t;
        identity = olv_identity_of(&stat);
        t = shrink_task(dir, name, &identity);
        t.codec = r->codec;
        t.level = r->level;
        t.most_bytes = r->most_bytes;
        t.workers = olv_os_cpus();
        t.keeps = true;
        t.observer = observer;
        t.to_dir = to_dir;
        t.to_fd = r->to ? -1 : r->out;
        ok = to_run(s, &t, r, to_name, err);
        if (!ok && !*err->path)
            olv_error_at(err, r->path);
        *result = (struct olv_shrink_result){r->unpacks ? t.packed_bytes : t.plain_bytes,
                                             r->unpacks ? t.plain_bytes : t.packed_bytes, t.codec};
        shrink_end(&t);
    }
    shrinker_free(s);
    olv_os_close(dir);
    olv_os_close(to_dir);
    return ok;
}
