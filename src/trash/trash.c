/* SPDX-License-Identifier: Apache-2.0 */
/* Opens the trash, and takes items out of it. */
#include "trash/trash.h"

#include "file/identity.h"
#include "file/rename.h"
#include "file/tree.h"
#include "file/trusted.h"
#include "olvido/accounts.h"
#include "os/durable.h"
#include "os/os.h"
#include "os/private.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

bool olv_trash_home(char *out, size_t size, struct olv_error *err)
{
    return olv_user_path("XDG_DATA_HOME", ".local/share", "Trash", out, size, err);
}

/* Reported once beforehand, instead of once per file. */
bool trash_is_writable(const struct olv_trash *trash, struct olv_error *err)
{
    if (faccessat(trash->files, ".", W_OK | X_OK, AT_EACCESS) == 0 &&
        faccessat(trash->info, ".", W_OK | X_OK, AT_EACCESS) == 0)
        return true;
    olv_fail_system(err, trash->path, "the trash cannot be written");
    return olv_error_as(err, OLV_STATE);
}

static bool open_parts(struct olv_trash *trash, bool create, struct olv_error *err)
{
    const char *path = trash->path;
    trash->files = olv_private_open(trash->dir, "files", create, path, "`files` in the trash", err);
    if (trash->files < 0)
        return false;
    trash->info = olv_private_open(trash->dir, "info", create, path, "`info` in the trash", err);
    if (trash->info < 0)
        return false;
    if (create && !trash_is_writable(trash, err))
        return false;
    if (!olv_os_stat(trash->files, "", &trash->files_stat))
        return olv_fail_system(err, path, "cannot look at the trash");
    if ((size_t)snprintf(trash->files_path, sizeof trash->files_path, "%s/files", path) >=
        sizeof trash->files_path)
        return olv_fail(err, OLV_STATE, "the path of the trash is too long");
    return true;
}

struct olv_trash *olv_trash_open_at(int dir, const char *path, size_t top_len, bool create,
                                    struct olv_error *err)
{
    struct olv_trash *trash = calloc(1, sizeof *trash);
    if (!trash) {
        olv_fail_memory(err);
        close(dir);
        return NULL;
    }
    trash->dir = dir;
    trash->files = trash->info = -1;
    trash->top_len = top_len;
    snprintf(trash->path, sizeof trash->path, "%s", path);
    if (open_parts(trash, create, err))
        return trash;
    olv_trash_close(trash);
    return NULL;
}

struct olv_trash *olv_trash_open(const char *path, bool create, struct olv_error *err)
{
    char real[PATH_MAX];
    int dir;
    if (geteuid() == 0 && !trusted_above(path, "the trash", OLV_STATE, err))
        return NULL;
    if (create && !olv_make_parents(path, err))
        return NULL;
    dir = olv_private_open(AT_FDCWD, path, create, path, "the trash", err);
    if (dir < 0)
        return NULL;
    if (realpath(path, real))
        return olv_trash_open_at(dir, real, 0, create, err);
    olv_fail_system(err, path, "cannot look at the trash");
    close(dir);
    return NULL;
}

void olv_trash_close(struct olv_trash *trash)
{
    if (!trash)
        return;
    olv_os_close(trash->info);
    olv_os_close(trash->files);
    olv_os_close(trash->dir);
    olv_info_writer_free(&trash->writer);
    olv_text_free(&trash->found_text);
    olv_text_free(&trash->found.path);
    olv_text_free(&trash->found.rule);
    trash_sizes_free(trash->sizes);
    free(trash);
}

const char *olv_trash_path(const struct olv_trash *trash)
{
    return trash->path;
}

bool olv_trash_is_home(const struct olv_trash *trash)
{
    return trash->top_len == 0;
}

int olv_trash_files(const struct olv_trash *trash)
{
    return trash->files;
}

const char *olv_trash_files_path(const struct olv_trash *trash)
{
    return trash->files_path;
}

struct olv_directory_id olv_trash_files_identity(const struct olv_trash *trash)
{
    return olv_directory_id_of(&trash->files_stat);
}

/* ---- taking out ---- */

static void drop_info_of(struct olv_trash *trash, const char *item)
{
    char info[NAME_MAX + 1];
    trash_info_name(info, item);
    unlinkat(trash->info, info, 0); /* on failure an info file without an item remains, which is harmless */
    trash_sizes_drop(trash, item);
    trash->writer.collided[0] = '\0';
}

bool olv_trash_take(struct olv_trash *trash, const char *item, int dir, const char *name,
                    enum olv_if_exists if_exists, const struct rename_witness *witness,
                    char out[NAME_MAX + 1], struct olv_error *err)
{
    if (!rename_to(trash->files, item, dir, name, if_exists, witness, out, err))
        return err->code == OLV_EXISTS
                   ? olv_fail(err, OLV_EXISTS, "the name is taken, so it stays in the trash")
                   : false;
    drop_info_of(trash, item);
    return true;
}

bool olv_trash_remove(struct olv_trash *trash, const char *item, enum olv_kind kind,
                      const struct unlinking *how, struct olv_error *err)
{
    if (kind != OLV_KIND_UNKNOWN && !olv_tree_remove(trash->files, item, kind, how, err))
        return false;
    drop_info_of(trash, item);
    return true;
}

bool olv_trash_take_new(struct olv_trash *trash)
{
    return atomic_exchange(&trash->has_new, false);
}
