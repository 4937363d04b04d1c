/* SPDX-License-Identifier: Apache-2.0 */
/* What a policy asks of its places, and whether they can do it. */
#include "olvido/fitness.h"

#include "depot/trust.h"
#include "file/protection.h"
#include "file/trusted.h"
#include "judge/expand.h"
#include "olvido/arguments.h"
#include "olvido/guard.h"
#include "olvido/path.h"
#include "os/os.h"
#include "trash/trash.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

struct examining {
    const struct olv_rule *rule;
    const struct olv_guard *guard;
    struct olv_diagnostics *list;
    const char *home; /* the home trash; NULL: none */
    unsigned places;
};

static void warn(struct examining *x, const char *path, const char *what)
{
    char message[1400];
    snprintf(message, sizeof message, "rule %s: %s: %s", x->rule->name, path, what);
    olv_diagnostics_warn(x->list, x->rule->line, message);
}

static bool takes_files(const struct olv_rule *rule)
{
    for (size_t i = 0; i < rule->step_count; i++)
        if (rule->steps[i].act->traits & OLV_TOUCHES)
            return true;
    return false;
}

static bool discards(const struct olv_rule *rule)
{
    for (size_t i = 0; i < rule->step_count; i++)
        if (rule->steps[i].act->destination == OLV_TO_TRASH)
            return true;
    return false;
}

/* Whether some step needs attributes that keep off root, too. */
static bool freezes(const struct olv_rule *rule)
{
    for (size_t i = 0; i < rule->step_count; i++)
        if (rule->steps[i].act->traits & OLV_PROTECTS &&
            olv_argument_number(rule->steps[i].act, rule->steps[i].arguments, "as") != OLV_READONLY)
            return true;
    return false;
}

static void examine_protection(struct examining *x, const char *path, int fd)
{
    const char *lacks = freezes(x->rule) ? protection_lacks(fd) : NULL;
    char what[400];
    if (!lacks)
        return;
    snprintf(what, sizeof what, "nothing can be protected there: %s", lacks);
    warn(x, path, what);
}

static void examine_clock(struct examining *x, const char *path, const struct olv_os_mount_facts *place,
                          const struct olv_stat *stat)
{
    if (x->rule->clock == OLV_CLOCK_BORN && !stat->has_born)
        warn(x, path, "this file system has no birth times, so nothing there is ever due");
    if (x->rule->clock == OLV_CLOCK_ACCESSED && place->access_times == OLV_NO)
        warn(x, path, "this file system is mounted without access times");
    else if (x->rule->clock == OLV_CLOCK_ACCESSED && geteuid() != 0 && stat->owner != (uint32_t)geteuid())
        warn(x, path,
             "looking at it changes its access times, because it belongs to somebody else and you are not "
             "root: "
             "what counts from them may never be due");
}

static bool examine_place(void *self, const char *path)
{
    struct examining *x = self;
    char what[600];
    struct olv_error why = {0};
    char *real = trusted_resolve(path, &why);
    int fd = real ? olv_os_open_path(real) : -1;
    struct olv_os_mount_facts place;
    struct olv_stat stat;
    x->places++;
    if (why.code == OLV_UNTRUSTED) {
        snprintf(what, sizeof what, "%s: %.200s; nothing is done there", why.what, why.path);
        warn(x, path, what);
    } else if (fd < 0) {
        warn(x, path, errno == ENOENT ? "there is no such directory" : strerror(errno));
    } else if (olv_os_stat(fd, "", &stat) && olv_os_facts_of_mount(fd, &place)) {
        enum olv_barrier barrier = takes_files(x->rule) ? olv_guard_of(x->guard, real) : OLV_NO_BARRIER;
        examine_clock(x, real, &place, &stat);
        examine_protection(x, real, fd);
        if (barrier == OLV_SYSTEM_PLACE)
            warn(x, real, "nothing is ever removed from a system directory");
        else if (barrier == OLV_OWN_PLACE)
            warn(x, real, "it lies in one of Olvido's own places: nothing is ever removed from it");
        else if (takes_files(x->rule) && place.is_read_only)
            warn(x, real, "this file system is mounted read-only");
        else if (takes_files(x->rule) && (stat.is_immutable || stat.is_append_only))
            warn(x, real,
                 stat.is_immutable ? "it is immutable: nothing in it can be renamed or removed"
                                   : "it is append-only: nothing in it can be renamed or removed");
        else if (discards(x->rule) && !olv_trash_is_possible(x->home, stat.mount))
            warn(x, real, "you can make no trash on this file system, so nothing can be discarded there");
    }
    olv_os_close(fd);
    free(real);
    return true;
}

/* ---- depots ---- */

static void warn_of_depot(struct olv_diagnostics *list, const struct olv_depot *depot, const char *what)
{
    char message[1400];
    snprintf(message, sizeof message, "the depot %s: %s: %s", depot->name, depot->path, what);
    olv_diagnostics_warn(list, depot->line, message);
}

/* Whoever can write there could replace an archive. */
static void warn_of_trust(struct olv_diagnostics *list, const struct olv_depot *depot)
{
    struct olv_error err = {0};
    char what[400];
    int fd = depot_open_trusted(depot->path, &err);
    olv_os_close(fd);
    if (err.code != OLV_UNTRUSTED)
        return;
    snprintf(what, sizeof what, "%s; nothing is archived there, and nothing deleted", err.what);
    warn_of_depot(list, depot, what);
}

static void examine_depot(const struct olv_policy *policy, const struct olv_depot *depot,
                          struct olv_diagnostics *list)
{
    char *real = realpath(depot->path, NULL);
    int fd = real ? olv_os_open_path(real) : -1;
    struct olv_os_mount_facts place;
    warn_of_trust(list, depot);
    if (fd < 0)
        warn_of_depot(list, depot, errno == ENOENT ? "there is no such directory" : strerror(errno));
    else if (olv_os_facts_of_mount(fd, &place) && place.is_read_only)
        warn_of_depot(list, depot, "this file system is mounted read-only");
    else if (faccessat(fd, ".", W_OK | X_OK, AT_EACCESS) < 0)
        warn_of_depot(list, depot, "you may not write there");
    for (size_t i = 0; real && i < policy->rule_count; i++)
        for (size_t k = 0; k < policy->rules[i].under_count; k++)
            if (olv_path_behind(real, policy->rules[i].under[k])) {
                warn_of_depot(list, depot, "a rule covers this place; nothing in it is touched");
                k = policy->rules[i].under_count - 1;
                i = policy->rule_count - 1;
            }
    olv_os_close(fd);
    free(real);
}

void olv_policy_examine_machine(const struct olv_policy *policy, const struct olv_guard *guard,
                                struct olv_diagnostics *list)
{
    struct olv_error ignored = {0};
    char message[600], home[PATH_MAX];
    bool has_home = olv_trash_home(home, sizeof home, &ignored);
    if (*olv_os_weaker()) {
        snprintf(message, sizeof message, "this machine lacks something that Olvido uses: %s",
                 olv_os_weaker());
        olv_diagnostics_warn(list, 1, message);
    }
    for (size_t i = 0; i < policy->depot_count; i++)
        examine_depot(policy, &policy->depots[i], list);
    for (size_t i = 0; i < policy->rule_count; i++) {
        struct examining x = {
            .rule = &policy->rules[i], .guard = guard, .list = list, .home = has_home ? home : NULL};
        for (size_t k = 0; k < x.rule->under_count; k++) {
            x.places = 0;
            expand_under(x.rule->under[k], examine_place, &x, NULL);
            if (x.places == 0)
                warn(&x, x.rule->under[k], "nothing fits this pattern");
        }
    }
}
