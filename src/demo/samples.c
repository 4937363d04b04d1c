/* SPDX-License-Identifier: Apache-2.0 */
/* Every sample has a tree of its own, "0001/srv/tides/...", so that names never clash and a path below
 * `under` is what the rule asks for. The copy of the policy has one more star in front of each `under`. */
#include "olvido/demo.h"

#include "base/example.h"
#include "base/grow.h"
#include "base/name_date.h"
#include "demo/place.h"
#include "judge/decide.h"
#include "judge/expand.h"
#include "olvido/path.h"
#include "olvido/pattern.h"
#include "olvido/survey.h"
#include "olvido/text.h"
#include "os/durable.h"
#include "os/os.h"
#include "policy/confine.h"
#include "policy/example.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

enum { DAY_S = 86400, LONGEST_SEARCH = 800, LARGEST_SAMPLE = 1 << 30, MOST_LINKS = 100 };

struct sampling {
    const struct olv_policy *policy;
    struct olv_decider *decider;
    struct olv_instant as_of;
    int dir;
    const char *path; /* absolute */
    struct olv_observer looking;
    struct olv_samples *out;
};

/* ---- when ---- */

static bool has_come(const struct sampling *s, uint32_t rule, uint32_t step, struct olv_instant t)
{
    const struct olv_rule *r = &s->policy->rules[rule];
    struct olv_instant start = t, when;
    if (r->until != OLV_PERIOD_NONE)
        start = olv_zone_end(s->policy->zone, t, r->until);
    return olv_decider_step_time(s->decider, rule, step, start, &when) &&
           olv_instant_compare(when, s->as_of) <= 0;
}

/* The distance from the edge: a day, or less for short durations. */
static int64_t samples_distance(const struct sampling *s, struct olv_instant edge,
                                const struct olv_rule *rule)
{
    int64_t quarter = (s->as_of.s - edge.s) / 4;
    if (rule->clock == OLV_CLOCK_NAME || quarter > DAY_S)
        return DAY_S;
    return quarter > 60 ? quarter : 60;
}

/* A time right before or right after the step's; false if there is none. */
static bool find_time(const struct sampling *s, uint32_t rule, uint32_t step, enum olv_side side,
                      struct olv_instant *out)
{
    const struct olv_rule *r = &s->policy->rules[rule];
    struct olv_instant t = olv_zone_cutoff(s->policy->zone, s->as_of, r->steps[step].after);
    int64_t far = samples_distance(s, t, r),
            rested = olv_zone_cutoff(s->policy->zone, s->as_of, r->settle).s - 60;
    if (side == OLV_AFTER && t.s > rested) /* otherwise `settle` would spare it */
        t.s = rested;
    for (int i = 0; i < LONGEST_SEARCH; i++) {
        t.s += side == OLV_AFTER ? -far : far;
        if (t.s <= 0 || t.s >= s->as_of.s)
            return false;
        if (has_come(s, rule, step, t) == (side == OLV_AFTER)) {
            *out = t;
            return true;
        }
    }
    return false;
}

/* ---- making one ---- */

/* Makes the directories above the last name, which `last` gets. -1 with errno. */
static int make_way(int top, char *path, char **last)
{
    int dir = dup(top), next;
    char *rest = path, *name = NULL, *slash;
    while (dir >= 0 && (slash = strchr(rest, '/'))) {
        *slash = '\0';
        name = rest;
        rest = slash + 1;
        if (!*name)
            continue;
        next = mkdirat(dir, name, 0755) == 0 || errno == EEXIST
                   ? openat(dir, name, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC)
                   : -1;
        close(dir);
        dir = next;
    }
    *last = rest;
    return dir;
}

static bool set_times(int dir, const char *name, struct olv_instant t)
{
    struct timespec times[2] = {{.tv_sec = t.s, .tv_nsec = t.ns}, {.tv_sec = t.s, .tv_nsec = t.ns}};
    return utimensat(dir, name, times, AT_SYMLINK_NOFOLLOW) == 0;
}

static uint64_t size_of(const struct example *e)
{
    uint64_t size = 24; /* the default */
    if (e->wants_empty)
        return 0;
    size = size < e->size_bytes.least ? e->size_bytes.least : size;
    return size > e->size_bytes.most ? e->size_bytes.most : size;
}

/* A large one is a hole. */
static bool make_file(int dir, const char *name, const struct example *e)
{
    static const char text[] = "made up by olvido demo\n";
    uint64_t size = size_of(e);
    int fd = openat(dir, name, O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0644);
    bool ok = fd >= 0 && (size < sizeof text || olv_write_all(fd, text, sizeof text - 1)) &&
              ftruncate(fd, (off_t)size) == 0;
    char other[32];
    olv_os_close(fd);
    for (uint64_t i = 1; ok && i < e->links.least && i < MOST_LINKS; i++) {
        snprintf(other, sizeof other, "link-%d", (int)i);
        ok = linkat(dir, name, dir, other, 0) == 0;
    }
    return ok;
}

static bool samples_make_directory(int dir, const char *name, const struct example *e, struct olv_instant t)
{
    const struct example plain = {.size_bytes = {0, UINT64_MAX}};
    int inside;
    bool ok = mkdirat(dir, name, 0755) == 0;
    if (!ok || e->wants_empty)
        return ok;
    inside = openat(dir, name, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
    ok = inside >= 0 && make_file(inside, "inside", &plain) && set_times(inside, "inside", t);
    olv_os_close(inside);
    return ok;
}

static bool make_entry(int dir, const char *name, const struct example *e, struct olv_instant t)
{
    switch (e->kind) {
    case OLV_KIND_DIRECTORY:
        return samples_make_directory(dir, name, e, t);
    case OLV_KIND_LINK:
        return symlinkat("nowhere", dir, name) == 0;
    case OLV_KIND_PIPE:
        return mkfifoat(dir, name, 0644) == 0;
    default:
        return make_file(dir, name, e);
    }
}

static bool dress(int dir, const char *name, const struct example *e, struct olv_instant t)
{
    mode_t mode = e->kind == OLV_KIND_DIRECTORY ? 0755 : 0644;
    if (e->has_mode)
        mode = e->mode;
    if (e->wants_readonly)
        mode &= ~(mode_t)0222;
    if (e->wants_world_writable)
        mode |= 0002;
    if ((e->has_owner || e->has_group) &&
        fchownat(dir, name, e->has_owner ? e->owner : (uid_t)-1, e->has_group ? e->group : (gid_t)-1,
                 AT_SYMLINK_NOFOLLOW) < 0)
        return false;
    return (e->kind == OLV_KIND_LINK || fchmodat(dir, name, mode, 0) == 0) && set_times(dir, name, t);
}

/* ---- what it is to be like ---- */

static const char *cannot_be_made(const struct olv_rule *rule, const struct example *e)
{
    if (rule->clock == OLV_CLOCK_CHANGED || rule->clock == OLV_CLOCK_BORN)
        return "nobody can set the time that this rule goes by";
    if (e->kind == OLV_KIND_SOCKET || e->kind == OLV_KIND_DEVICE)
        return "sockets and devices are not made";
    if (size_of(e) > LARGEST_SAMPLE)
        return "it would be larger than 1 GiB";
    return NULL;
}

/* A name with the date that the rule reads: the date replaces the wildcards of the statement's pattern. If
 * that pattern has no room for it, the date is the name. */
static void example_with_date(const struct sampling *s, const struct olv_rule *rule, struct olv_instant *t,
                              struct example *out)
{
    struct olv_text date = {0};
    struct olv_date read;
    const char *name;
    olv_name_date_example(&date, rule->name_date, olv_zone_date(s->policy->zone, t->s));
    example_of(rule->where_expr, olv_text_string(&date), out);
    name = olv_path_name(out->path);
    if (!olv_name_date_read(rule->name_date, name, strlen(name), &read))
        snprintf(out->path + (name - out->path), sizeof out->path - (size_t)(name - out->path), "%s",
                 olv_text_string(&date));
    if (olv_name_date_read(rule->name_date, olv_text_string(&date), date.len, &read))
        *t = (struct olv_instant){olv_zone_seconds(s->policy->zone, read), 0};
    olv_text_free(&date);
}

/* A familiar name: of the oldest file below `under` that the statement matches. */
struct real_name {
    const struct sampling *sampling;
    const struct olv_rule *rule;
    struct olv_error *err;
    char path[EXAMPLE_TEXT]; /* below `under`; "": none */
};

static bool take_real_name(void *self, const char *place)
{
    struct real_name *name = self;
    struct olv_survey survey = {0};
    struct olv_survey_options options = {.now = name->sampling->as_of, .where = name->rule->where_expr};
    struct example e;
    const char *path;
    example_of(options.where, "", &e);
    options.kinds = 1u << e.kind;
    olv_survey_make(&survey, &place, 1, &options, &name->sampling->looking, name->err);
    for (size_t i = 0; i < survey.eldest_count && !*name->path; i++) {
        path = olv_path_behind(survey.eldest[i].path, place);
        if (path && *path && strlen(path) <= sizeof name->path &&
            !olv_path_behind(survey.eldest[i].path, name->sampling->path))
            memcpy(name->path, path + 1, strlen(path));
    }
    olv_survey_free(&survey);
    return !*name->path && name->err->code == OLV_OK;
}

static bool find_real_name(struct real_name *name, const char *under)
{
    *name->path = '\0';
    if (name->rule->clock == OLV_CLOCK_NAME || expand_under(under, take_real_name, name, NULL) || *name->path)
        return true;
    return name->err->code != OLV_OK ? false : olv_fail_memory(name->err);
}

static struct olv_sample *add_sample(struct olv_samples *out)
{
    if (!grow(&out->items, out->count, &out->cap, sizeof *out->items))
        return NULL;
    out->items[out->count] = (struct olv_sample){0};
    return &out->items[out->count++];
}

/* What this step takes; `t` becomes the time that its name says, if the rule goes by names. */
static void example_for(const struct sampling *s, const struct olv_rule *rule, uint32_t step,
                        struct olv_instant *t, struct example *out)
{
    if (rule->clock == OLV_CLOCK_NAME)
        example_with_date(s, rule, t, out);
    else
        example_of(rule->where_expr, "sample", out);
    out->wants_empty |= (rule->steps[step].act->traits & OLV_EMPTY_ONLY) != 0;
}

static bool make_sample(struct sampling *s, uint32_t rule, const char *under, const char *real, uint32_t step,
                        enum olv_side side, struct olv_error *err)
{
    const struct olv_rule *r = &s->policy->rules[rule];
    struct olv_text below = {0}, whole = {0};
    struct olv_pattern *pattern;
    struct olv_sample *sample;
    struct olv_instant t;
    struct example e;
    char *last;
    int dir = -1;
    if (!find_time(s, rule, step, side, &t))
        return true; /* a step that is due at once has no time before it */
    example_for(s, r, step, &t, &e);
    if (*real)
        snprintf(e.path, sizeof e.path, "%s", real);
    sample = add_sample(s->out);
    if (!sample)
        return olv_fail_memory(err);
    olv_text_printf(&below, "%04zu", s->out->count);
    pattern = olv_pattern_new(under, strlen(under), err);
    if (!pattern) {
        olv_text_free(&below);
        return false;
    }
    olv_pattern_example(pattern, "any", &below);
    olv_pattern_free(pattern);
    olv_text_printf(&below, "/%s", e.path);
    olv_text_printf(&whole, "%s/%s", s->path, olv_text_string(&below));
    sample->rule = rule;
    sample->step = step;
    sample->side = side;
    sample->time = t;
    sample->path = whole.data;
    sample->why_not = cannot_be_made(r, &e);
    if (!sample->why_not && !below.failed) {
        dir = make_way(s->dir, below.data, &last);
        if (dir < 0 || !*last || !make_entry(dir, last, &e, t) || !dress(dir, last, &e, t))
            sample->why_not = strerror(errno);
        olv_os_close(dir);
    }
    olv_text_free(&below);
    return !whole.failed || olv_fail_memory(err);
}

static bool make_samples(struct sampling *s, struct olv_error *err)
{
    for (uint32_t i = 0; i < s->policy->rule_count; i++) {
        const struct olv_rule *rule = &s->policy->rules[i];
        struct real_name real = {.sampling = s, .rule = rule, .err = err};
        for (size_t u = 0; u < rule->under_count; u++) {
            if (!find_real_name(&real, rule->under[u]))
                return false;
            for (uint32_t k = 0; k < rule->step_count; k++)
                if (!make_sample(s, i, rule->under[u], real.path, k, OLV_BEFORE, err) ||
                    !make_sample(s, i, rule->under[u], real.path, k, OLV_AFTER, err))
                    return false;
        }
    }
    return true;
}

/* ---- the policy ---- */

static bool write_policy(struct sampling *s, struct olv_error *err)
{
    struct olv_text text = {0}, prefix = {0};
    bool ok;
    olv_text_puts(&text,
                  "# A copy for trying it out: every `under` leads to the samples beside it. `trash` was\n"
                  "# left out, for it would be about real items.\n");
    olv_pattern_quote(&prefix, s->path, strlen(s->path));
    olv_text_puts(&prefix, "/*");
    ok = policy_confine(s->policy->path, olv_text_string(&prefix), &text, err) &&
         olv_write_new(s->dir, "policy.yaml", text.data, text.len, err);
    snprintf(s->out->policy, sizeof s->out->policy, "%.4000s/policy.yaml", s->path);
    olv_text_free(&prefix);
    olv_text_free(&text);
    return ok;
}

bool olv_demo_for(const char *path, const struct olv_policy *policy, struct olv_instant as_of,
                  const struct olv_observer *observer, struct olv_samples *samples, struct olv_error *err)
{
    struct sampling s = {.policy = policy, .as_of = as_of, .dir = -1, .looking = *observer, .out = samples};
    char real[PATH_MAX];
    bool ok;
    *samples = (struct olv_samples){0};
    s.dir = demo_open_place(path, real, err);
    if (s.dir < 0)
        return false;
    s.path = real;
    s.looking.trouble = NULL; /* samples do not mind missing places */
    s.decider = olv_decider_new(policy, as_of, as_of);
    ok = (s.decider || olv_fail_memory(err)) && make_samples(&s, err) && write_policy(&s, err);
    olv_decider_free(s.decider);
    close(s.dir);
    return ok;
}

void olv_samples_free(struct olv_samples *samples)
{
    for (size_t i = 0; i < samples->count; i++)
        free(samples->items[i].path);
    free(samples->items);
    *samples = (struct olv_samples){0};
}
