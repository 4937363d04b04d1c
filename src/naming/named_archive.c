/* SPDX-License-Identifier: Apache-2.0 */
/* The end of an archive's name says how it is packed. */
#include "olvido/named.h"

#include "olvido/path.h"
#include "olvido/trust.h"
#include "os/os.h"

#include <errno.h>
#include <stdlib.h>
#include <unistd.h>

static bool archive_named(const struct olv_text *path, bool may_be_there, struct olv_error *err)
{
    if (path->failed)
        return olv_fail_memory(err);
    if (olv_pack_of_name(path->data, NULL) == OLV_CODEC_COUNT)
        return olv_fail(
            err, OLV_USAGE,
            "the name of the archive says how it is packed: it ends with .tar, .tar.gz, .tar.bz2, "
            ".tar.xz, .tar.zst or .zip");
    return may_be_there || access(path->data, F_OK) != 0 ||
           olv_fail(err, OLV_USAGE, "%.200s is there already; an archive never replaces anything",
                    path->data);
}

bool olv_named_archive(const char *to, struct olv_text *path, struct olv_error *err)
{
    char *above = olv_path_directory(to), *real = above ? olv_path_resolve(above, err) : NULL;
    bool is_missing = err->sys == ENOENT || err->sys == ENOTDIR;
    if (!above)
        olv_fail_memory(err);
    else if (!real && is_missing)
        olv_fail(err, OLV_USAGE, "there is no directory %.200s for the archive", above);
    else if (real && !*olv_path_name(to))
        olv_fail(err, OLV_USAGE, "%.200s names a directory; the archive is a file, and needs a name", to);
    else if (real)
        olv_path_add(path, real, olv_path_name(to));
    free(above);
    free(real);
    return err->code == OLV_OK && archive_named(path, false, err);
}

/* A person finds it by its date. */
bool olv_named_archive_in(const struct olv_depot *depot, const char *pack, struct olv_text *path,
                          struct olv_error *err)
{
    struct olv_date d = olv_date_from_seconds(olv_os_now().s);
    olv_text_printf(path, "%s/by-hand-%04d%02d%02d-%02d%02d.%s", depot->path, (int)d.year, d.month, d.day,
                    d.hour, d.minute, pack ? pack : olv_pack_word(depot->codec));
    if (access(depot->path, F_OK) == 0)
        return archive_named(path, true, err);
    if (!olv_os_is_absent(errno))
        return olv_fail_system(err, depot->path, "cannot look at the depot %s", depot->name);
    return olv_fail(err, OLV_USAGE, "the depot %s is not there: %.150s; make that directory, or mount it",
                    depot->name, depot->path);
}
