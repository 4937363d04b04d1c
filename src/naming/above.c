/* SPDX-License-Identifier: Apache-2.0 */
/* Whoever may rename a directory takes along what is in it, protected or not: the directories above, as
 * entries of their own. */
#include "naming/naming.h"

#include "olvido/path.h"
#include "os/os.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>

/* Takes the directory at `path`. False: it is where this ends, or with `err`. */
static bool take_one(struct naming *n, const char *path, struct olv_error *err)
{
    char *above = olv_path_directory(path);
    struct place place = {.path = above, .fd = above ? olv_os_open_path(above) : -1};
    struct olv_stat stat;
    bool ok = above || olv_fail_memory(err);
    if (ok && (place.fd < 0 || !olv_os_stat(place.fd, "", &place.stat) ||
               !olv_os_stat(place.fd, olv_path_name(path), &stat))) {
        naming_trouble(n, path, "looking for it", errno);
        ok = false;
    }
    if (ok)
        place_examine(n, &place);
    ok = ok && !why_guarded(n, &place, path, &stat);
    if (ok) {
        struct found found = found_of(n, &place.stat, &stat);
        ok = naming_add(n, &n->workers[0].record, above, olv_path_name(path), "", &found, err);
    }
    olv_os_close(place.fd);
    olv_text_free(&place.words);
    free(above);
    return ok;
}

bool above_take(struct naming *n, const char *path, struct olv_error *err)
{
    char *above = olv_path_directory(path);
    if (!above)
        return olv_fail_memory(err);
    while (above[1] && take_one(n, above, err))
        olv_path_cut(above);
    free(above);
    return err->code == OLV_OK;
}
