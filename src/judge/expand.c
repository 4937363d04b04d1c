/* SPDX-License-Identifier: Apache-2.0 */
/* One component of the pattern at a time, from directory descriptor to directory descriptor. */
#include "judge/expand.h"

#include "file/trusted.h"
#include "olvido/pattern.h"
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

/* NULL: any directory. */
static bool expand_fits(const struct olv_pattern *pattern, const struct olv_os_name *name)
{
    if (name->kind != OLV_KIND_DIRECTORY && name->kind != OLV_KIND_UNKNOWN)
        return false;
    return !pattern || olv_pattern_fits(pattern, name->name, name->len);
}

/* Continues with `rest` in every directory of `dir` that fits. */
static bool search(struct expanding *x, int dir, const struct olv_pattern *pattern, const char *rest,
                   unsigned depth)
{
    bool ok = true;
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
            if (expand_fits(pattern, &name))
                ok = expand_enter(x, dir, name.name, rest, depth);
    if (is_listed)
        olv_os_list_end(&listing);
    if (got < 0)
        ok = expand_trouble(x, "looking for what `under` fits", errno);
    sys = errno;
    free(buffer);
    errno = sys;
    return ok;
}

/* Any number of directories, then `next`. */
static bool descend_any(struct expanding *x, int dir, const char *component, const char *next, unsigned depth)
{
    return expand_descend(x, dir, next, depth) && search(x, dir, NULL, component, depth);
}

static bool descend_one(struct expanding *x, int dir, const char *component, size_t len, const char *next,
                        unsigned depth)
{
    struct olv_error ignored = {0}; /* the policy's reader checked it */
    struct olv_pattern *pattern = olv_pattern_new(component, len, &ignored);
    const char *only = pattern ? olv_pattern_only(pattern) : NULL;
    bool ok = pattern != NULL;
    if (only)
        ok = strlen(only) > NAME_MAX || expand_enter(x, dir, only, next, depth);
    else if (pattern)
        ok = search(x, dir, pattern, next, depth);
    olv_pattern_free(pattern);
    return ok;
}

static bool expand_descend(struct expanding *x, int dir, const char *rest, unsigned depth)
{
    const char *component = rest + strspn(rest, "/"), *next;
    size_t len = olv_pattern_component(component, strlen(component));
    next = component + len;
    next += strspn(next, "/");
    if (len == 0)
        return x->each(x->self, x->path.len ? x->path.data : "/");
    if (depth > DEEPEST)
        return expand_trouble(x, "too deep for `under`", ENAMETOOLONG);
    if (len == 2 && memcmp(component, "**", 2) == 0)
        return descend_any(x, dir, component, next, depth);
    return descend_one(x, dir, component, len, next, depth);
}

/* The components before the first one with a wildcard. */
static size_t literal_part(const char *pattern)
{
    size_t end = 0, len = strlen(pattern);
    for (size_t at = 0; at < len;) {
        size_t begins = at + strspn(pattern + at, "/"),
               ends = begins + olv_pattern_component(pattern + begins, len - begins);
        if (olv_pattern_is_one(pattern + begins, ends - begins))
            break;
        end = at = ends;
    }
    return end;
}

static bool expand_from(struct expanding *x, const char *literal, const char *rest, const char *pattern)
{
    struct olv_error err = {0};
    char *real = trusted_resolve(*literal ? literal : "/", &err);
    int fd = real ? olv_os_open_path(real) : -1, sys;
    bool ok = true;
    if (fd < 0 && err.code == OLV_UNTRUSTED) {
        olv_observe_unreadable(x->observer, pattern, err.what, 0);
    } else if (fd < 0 && olv_os_is_exhausted(errno)) {
        ok = false;
    } else if (fd < 0) {
        olv_observe_unreadable(x->observer, pattern, "looking for it (`under` of a rule)", errno);
    } else {
        olv_text_puts(&x->path, strcmp(real, "/") ? real : "");
        ok = expand_descend(x, fd, rest, 0);
    }
    sys = errno;
    olv_os_close(fd);
    free(real);
    errno = sys;
    return ok;
}

static bool expand_pattern(struct expanding *x, const char *text)
{
    size_t end = literal_part(text);
    struct olv_error ignored = {0};
    struct olv_pattern *before = olv_pattern_new(text, end, &ignored);
    const char *only = before ? olv_pattern_only(before) : NULL;
    bool ok = only && (text[end] ? expand_from(x, only, text + end, text) : x->each(x->self, only));
    olv_pattern_free(before);
    return ok;
}

/* ---- braces that hold slashes ---- */

/* The first such braces; false if there are none. */
static bool find_braces(const char *text, size_t *begin, size_t *end)
{
    size_t depth = 0;
    bool has_slash = false;
    for (size_t i = 0; text[i]; i++) {
        if (text[i] == '\\' && text[i + 1]) {
            i++;
        } else if (text[i] == '{') {
            if (depth++ == 0) {
                *begin = i;
                has_slash = false;
            }
        } else if (text[i] == '}' && depth && --depth == 0 && has_slash) {
            *end = i;
            return true;
        }
        has_slash |= depth && text[i] == '/';
    }
    return false;
}

/* Where the alternative ends that begins at `at`. */
static size_t alternative_end(const char *text, size_t at)
{
    for (size_t depth = 0; depth || (text[at] != ',' && text[at] != '}'); at++) {
        if (text[at] == '\\')
            at++;
        else if (text[at] == '{')
            depth++;
        else if (text[at] == '}')
            depth--;
    }
    return at;
}

/* Each alternative by itself: then a component is what stands between two slashes. */
static bool expand_each(struct expanding *x, const char *text, unsigned *left)
{
    struct olv_text one = {0};
    size_t begin = 0, end = 0;
    bool ok = true;
    if (!find_braces(text, &begin, &end))
        return expand_pattern(x, text);
    for (size_t at = begin + 1, next; ok && at <= end; at = next + 1) {
        next = alternative_end(text, at);
        olv_text_clear(&one);
        olv_text_clear(&x->path);
        olv_text_add(&one, text, begin);
        olv_text_add(&one, text + at, next - at);
        olv_text_puts(&one, text + end + 1);
        ok = !one.failed && (*left)-- > 0 && expand_each(x, one.data, left);
    }
    olv_text_free(&one);
    return ok;
}

bool expand_under(const char *pattern, bool (*each)(void *self, const char *path), void *self,
                  const struct olv_observer *observer)
{
    enum { MOST_ALTERNATIVES = 4096 };
    unsigned left = MOST_ALTERNATIVES;
    struct expanding x = {each, self, observer, {0}};
    bool ok;
    int sys;
    errno = 0;
    ok = expand_each(&x, pattern, &left);
    sys = errno;
    olv_text_free(&x.path);
    errno = sys;
    return ok;
}
