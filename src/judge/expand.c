/* SPDX-License-Identifier: Apache-2.0 */
/* One component of the pattern at a time, from directory descriptor to directory descriptor. */
#include "judge/expand.h"

#include "base/glob.h"
#include "file/trusted.h"
#include "olvido/text.h"
#include "os/os.h"

#include <errno.h>
#include <limits.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

enum { DEEPEST = 128, BUFFER = 32768 };

struct expanding {
    bool (*each)(void *self, const char *path);
    void *self;
    const struct olv_observer *observer;
    struct olv_text path; /* of the current directory, without a trailing slash */
};

static bool expand_descend(struct expanding *x, int dir, const char *rest, unsigned depth);

static bool expand_trouble(struct expanding *x, const char *what, int sys)
{
    if (olv_os_is_exhausted(sys)) {
        errno = sys;
        return false;
    }
    if (!olv_os_is_absent(sys))
        olv_observe_unreadable(x->observer, olv_text_string(&x->path), what, sys);
    return true;
}

/* Continues with `rest` in the directory `name` of `dir`. */
static bool expand_enter(struct expanding *x, int dir, const char *name, const char *rest, unsigned depth)
{
    size_t len = x->path.len;
    int fd = olv_os_open_dir(dir, name, false);
    bool ok;
    olv_text_puts(&x->path, "/");
    olv_text_puts(&x->path, name);
    ok = fd < 0 ? expand_trouble(x, "looking for what `under` fits", errno)
                : expand_descend(x, fd, rest, depth + 1);
    olv_os_close(fd);
    if (!x->path.failed)
        x->path.data[x->path.len = len] = '\0';
    return ok && !x->path.failed;
}

static bool expand_fits(const char *pattern, size_t len, const struct olv_os_name *name)
{
    if (name->kind != OLV_KIND_DIRECTORY && name->kind != OLV_KIND_UNKNOWN)
        return false;
    return olv_glob_match(pattern, len, name->name, name->len, false);
}

/* Every directory in `dir` that matches the component; after `**` the pattern itself applies again, too. */
static bool search(struct expanding *x, int dir, const char *component, size_t len, const char *rest,
                   unsigned depth)
{
    bool any_depth = len == 2 && memcmp(component, "**", 2) == 0, ok = true;
    char *buffer = malloc(BUFFER);
    struct olv_os_listing listing;
    struct olv_os_name name;
    bool is_listed = buffer && olv_os_list_begin(&listing, dir);
    ssize_t got = is_listed ? 0 : -1;
    int sys;
    if (!buffer)
        return false;
    while (ok && is_listed && (got = olv_os_list_read(&listing, buffer, BUFFER)) > 0)
        for (size_t at = 0; ok && olv_os_next_name(buffer, (size_t)got, &at, &name);)
            if (any_depth ? expand_fits("*", 1, &name) : expand_fits(component, len, &name))
                ok = expand_enter(x, dir, name.name, any_depth ? component : rest, depth);
    if (is_listed)
        olv_os_list_end(&listing);
    if (got < 0)
        ok = expand_trouble(x, "looking for what `under` fits", errno);
    sys = errno;
    free(buffer);
    errno = sys;
    return ok;
}

static bool expand_descend(struct expanding *x, int dir, const char *rest, unsigned depth)
{
    const char *component = rest + strspn(rest, "/"), *next;
    size_t len = strcspn(component, "/");
    char name[NAME_MAX + 1];
    next = component + len;
    if (len == 0)
        return x->each(x->self, x->path.len ? x->path.data : "/");
    if (depth > DEEPEST)
        return expand_trouble(x, "too deep for `under`", ENAMETOOLONG);
    if (len == 2 && memcmp(component, "**", 2) == 0 && !expand_descend(x, dir, next, depth))
        return false;
    if (olv_glob_is_pattern(component, len))
        return search(x, dir, component, len, next, depth);
    if (len > NAME_MAX)
        return true;
    memcpy(name, component, len);
    name[len] = '\0';
    return expand_enter(x, dir, name, next, depth);
}

/* The part before the first component with a wildcard. */
static size_t literal_part(const char *pattern)
{
    size_t end = strcspn(pattern, "*?");
    while (end > 1 && pattern[end - 1] != '/')
        end--;
    return end;
}

bool expand_under(const char *pattern, bool (*each)(void *self, const char *path), void *self,
                  const struct olv_observer *observer)
{
    struct expanding x = {each, self, observer, {0}};
    size_t end = literal_part(pattern);
    struct olv_error err = {0};
    char *literal, *real;
    bool ok = true;
    int fd, sys;
    errno = 0;
    if (!olv_glob_is_pattern(pattern, strlen(pattern)))
        return each(self, pattern);
    literal = strndup(pattern, end);
    real = literal ? trusted_resolve(literal, &err) : NULL;
    fd = real ? olv_os_open_path(real) : -1;
    if (fd < 0 && err.code == OLV_UNTRUSTED) {
        olv_observe_unreadable(observer, pattern, err.what, 0);
    } else if (fd < 0 && olv_os_is_exhausted(errno)) {
        ok = false;
    } else if (fd < 0) {
        olv_observe_unreadable(observer, pattern, "looking for it (`under` of a rule)", errno);
    } else {
        olv_text_puts(&x.path, strcmp(real, "/") ? real : "");
        ok = expand_descend(&x, fd, pattern + end, 0);
        close(fd);
    }
    sys = errno;
    free(literal);
    free(real);
    olv_text_free(&x.path);
    errno = sys;
    return ok;
}
