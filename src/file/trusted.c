/* SPDX-License-Identifier: Apache-2.0 */
#include "file/trusted.h"

#include "olvido/path.h"
#include "olvido/text.h"
#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

enum { MOST_LINKS = 40, WRITTEN_BY_OTHERS = 0022 };

struct way {
    const char *what;
    enum olv_code code;
    int fd;               /* where the walk has come */
    unsigned links;       /* links followed */
    bool is_directory;    /* the end must be a directory, and is judged like a file */
    bool only_links;      /* only links are judged, and the end is not read */
    struct olv_text path; /* the path so far, for people */
    struct olv_text rest; /* what is left, from `at` on */
    size_t at;
};

static bool trusted_refuse(const struct way *w, struct olv_error *err)
{
    olv_error_at(err, olv_text_string(&w->path));
    if (w->only_links)
        return olv_error_hint(err, "name the place that is meant, without that link");
    return olv_error_hint(err, "root relies only on what nobody else could have put there");
}

static bool judge_owner(const struct way *w, const struct stat *st, bool is_end, struct olv_error *err)
{
    const char *words = S_ISLNK(st->st_mode) ? "a link on the way to %s belongs to user number %u"
                        : is_end             ? "%s belongs to user number %u"
                                             : "%s lies in a directory of user number %u";
    if (st->st_uid == 0 || st->st_uid == geteuid())
        return true;
    olv_fail(err, w->code, words, w->what, (unsigned)st->st_uid);
    return trusted_refuse(w, err);
}

static bool trusted_judge(const struct way *w, const struct stat *st, bool is_end, struct olv_error *err)
{
    if (w->only_links)
        return true;
    if (!judge_owner(w, st, is_end, err))
        return false;
    if (!(st->st_mode & WRITTEN_BY_OTHERS) || (!is_end && (st->st_mode & S_ISVTX)))
        return true;
    olv_fail(err, w->code,
             is_end ? "others can write %s"
                    : "others can write in a directory above %s, so they could replace it",
             w->what);
    return trusted_refuse(w, err);
}

/* Continues from there. */
static bool go_to(struct way *w, int fd, bool is_end, struct olv_error *err)
{
    struct stat st;
    if (fd < 0)
        return olv_fail_system(err, olv_text_string(&w->path), "cannot open %s", w->what);
    olv_os_close(w->fd);
    w->fd = fd;
    if (fstat(fd, &st) != 0)
        return olv_fail_system(err, olv_text_string(&w->path), "cannot look at it");
    return trusted_judge(w, &st, is_end && (w->is_directory || !S_ISDIR(st.st_mode)), err);
}

static bool go_to_top(struct way *w, struct olv_error *err)
{
    olv_text_clear(&w->path);
    olv_text_puts(&w->path, "/");
    return go_to(w, open("/", O_RDONLY | O_DIRECTORY | O_CLOEXEC), false, err);
}

/* Puts `head` before what is left. */
static bool prepend(struct way *w, const char *head)
{
    struct olv_text rest = {0};
    olv_path_add(&rest, head, w->rest.data + w->at);
    olv_text_free(&w->rest);
    w->rest = rest;
    w->at = 0;
    return !rest.failed;
}

static bool follow(struct way *w, const char *name, const struct stat *link, struct olv_error *err)
{
    char target[PATH_MAX];
    ssize_t got = readlinkat(w->fd, name, target, sizeof target - 1);
    if (!judge_owner(w, link, false, err))
        return false;
    if (got >= 0)
        target[got] = '\0';
    if (got >= 0 && ++w->links > MOST_LINKS) {
        errno = ELOOP;
        got = -1;
    }
    if (got < 0)
        return olv_fail_system(err, olv_text_string(&w->path), "cannot follow the link `%.100s`", name);
    if (!prepend(w, target)) /* `name` was a part of what is gone by now */
        return olv_fail_memory(err);
    return target[0] != '/' || go_to_top(w, err);
}

/* The next name, of any length, borrowed from the rest until that changes; NULL if there is none. */
static char *take_name(struct way *w, bool *is_last)
{
    char *name = w->rest.data + w->at + strspn(w->rest.data + w->at, "/"), *end = name + strcspn(name, "/");
    char *next = end + strspn(end, "/");
    w->at = (size_t)(next - w->rest.data);
    *is_last = *next == '\0';
    *end = '\0';
    return *name ? name : NULL;
}

/* The end is opened for reading if requested. */
static int open_next(const struct way *w, const char *name, bool is_last)
{
    enum { QUIETLY = O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_NOCTTY | O_CLOEXEC };
    return !is_last || w->only_links ? olv_os_open_passing(w->fd, name)
                                     : openat(w->fd, name, QUIETLY | (w->is_directory ? O_DIRECTORY : 0));
}

/* Up, or down. */
static void trusted_note_name(struct way *w, const char *name)
{
    if (strcmp(name, ".") == 0)
        return;
    if (strcmp(name, "..") != 0) {
        olv_text_printf(&w->path, "%s%s", w->path.len > 1 ? "/" : "", name);
        return;
    }
    while (w->path.len > 1 && w->path.data[--w->path.len] != '/')
        ;
    if (!w->path.failed)
        w->path.data[w->path.len] = '\0';
}

static bool go_on(struct way *w, const char *name, bool is_last, struct olv_error *err)
{
    struct stat st;
    bool is_there = fstatat(w->fd, name, &st, AT_SYMLINK_NOFOLLOW) == 0;
    if (is_there && S_ISLNK(st.st_mode))
        return follow(w, name, &st, err);
    trusted_note_name(w, name);
    return go_to(w, open_next(w, name, is_last), is_last, err);
}

static bool trusted_begin(struct way *w, const char *path, struct olv_error *err)
{
    char *here = path[0] == '/' ? NULL : olv_path_here();
    if (path[0] != '/' && !here)
        return olv_fail_system(err, path, "cannot open %s", w->what);
    olv_path_add(&w->rest, here ? here : "", path);
    free(here);
    return w->rest.failed ? olv_fail_memory(err) : go_to_top(w, err);
}

static int go(struct way *w, const char *path, struct olv_error *err)
{
    const char *name;
    bool is_last, ok = trusted_begin(w, path, err);
    while (ok && (name = take_name(w, &is_last)))
        ok = go_on(w, name, is_last, err);
    olv_text_free(&w->rest);
    if (!ok && w->fd >= 0) {
        close(w->fd);
        w->fd = -1;
    }
    return w->fd;
}

int trusted_open(const char *path, const char *what, enum olv_code code, struct olv_error *err)
{
    struct way w = {.what = what, .code = code, .fd = -1};
    go(&w, path, err);
    olv_text_free(&w.path);
    return w.fd;
}

int trusted_directory(const char *path, const char *what, enum olv_code code, struct olv_error *err)
{
    struct way w = {.what = what, .code = code, .fd = -1, .is_directory = true};
    go(&w, path, err);
    olv_text_free(&w.path);
    return w.fd;
}

char *trusted_resolve(const char *path, struct olv_error *err)
{
    struct way w = {.what = "it", .code = OLV_UNTRUSTED, .fd = -1, .only_links = true};
    char *resolved = NULL;
    if (go(&w, path, err) >= 0) {
        close(w.fd);
        resolved = w.path.failed ? NULL : strdup(olv_text_string(&w.path));
        if (!resolved)
            olv_fail_memory(err);
    }
    olv_text_free(&w.path);
    return resolved;
}

static int make_in_parent(const char *path, struct olv_error *err)
{
    char *above = strdup(path), *real;
    const char *name;
    int dir = -1, fd = -1;
    if (!above) {
        olv_fail_memory(err);
        return -1;
    }
    olv_path_cut(above);
    name = path + strlen(above) + (path[strlen(above)] == '/');
    real = trusted_resolve(*above ? above : path[0] == '/' ? "/" : ".", err);
    dir = real ? olv_os_open_path(real) : -1;
    if (dir >= 0 && (mkdirat(dir, name, 0777) == 0 || errno == EEXIST))
        fd = olv_os_open_dir(dir, name, false);
    if (!real)
        errno = err->sys;
    if (fd < 0 && (real || err->sys))
        olv_fail_system(err, path, "cannot make the directory");
    olv_os_close(dir);
    free(real);
    free(above);
    return fd;
}

int trusted_make_directory(const char *path, struct olv_error *err)
{
    char *real = trusted_resolve(path, err);
    int fd = real ? olv_os_open_path(real) : -1;
    if (real && fd < 0)
        olv_fail_system(err, path, "cannot open the directory");
    free(real);
    if (real || err->sys != ENOENT)
        return fd;
    olv_error_clear(err);
    return make_in_parent(path, err);
}

bool trusted_above(const char *path, const char *what, enum olv_code code, struct olv_error *err)
{
    char *above;
    int fd = -1;
    if (!*path)
        return true;
    above = strdup(path);
    if (!above)
        return olv_fail_memory(err);
    do {
        olv_error_clear(err);
        olv_path_cut(above);
        fd = trusted_open(*above ? above : ".", what, code, err);
    } while (fd < 0 && err->sys == ENOENT && *above && strcmp(above, "/") != 0);
    olv_os_close(fd);
    free(above);
    return fd >= 0;
}
