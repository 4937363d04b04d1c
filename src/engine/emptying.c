/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/emptying.h"

#include "engine/run.h"
#include "os/os.h"
#include "source/hooks.h"
#include "state/register.h"

#include <string.h>
#include <unistd.h>

void emptying_begin(struct emptying *e, const struct olv_policy *policy)
{
    *e = (struct emptying){.fd = -1};
    for (size_t i = 0; policy && i < policy->rule_count; i++)
        e->is_on |= policy->rules[i].has_directories;
}

void emptying_end(struct emptying *e)
{
    olv_os_close(e->fd);
    olv_text_free(&e->path);
    olv_text_free(&e->announced);
    e->fd = -1;
}

static bool loses(const struct olv_docket_entry *entry)
{
    return entry->place == OLV_IN_TREE && entry->act->destination != OLV_STAYS &&
           entry->act->traits & OLV_TOUCHES;
}

bool emptying_announce(struct olv_run *run, const struct olv_docket_entry *entry, struct olv_error *err)
{
    struct emptying *e = &run->emptying;
    struct olv_register *reg;
    struct olv_stat stat;
    int fd;
    bool ok = true;
    if (!e->is_on || !loses(entry) || strcmp(olv_text_string(&e->announced), entry->directory) == 0)
        return true;
    olv_text_clear(&e->announced);
    olv_text_puts(&e->announced, entry->directory);
    fd = olv_os_open_path(entry->directory);
    if (fd >= 0 && olv_os_stat(fd, "", &stat) && stat.inode == entry->at.inode) {
        reg = run_register(run, DATABASE_MAKE, err);
        ok = reg && emptied_note(reg, entry->directory, &stat, &stat, err);
    }
    olv_os_close(fd);
    return ok;
}

void emptying_settle(struct olv_run *run, const struct olv_docket_entry *entry)
{
    struct olv_error ignored = {0}; /* then it is due later */
    struct olv_register *reg = run->session->reg;
    struct olv_stat stat;
    if (reg && loses(entry) && olv_os_stat(run->turn.directory.fd, "", &stat))
        emptied_settle(reg, entry->directory, &stat, &ignored);
}

static bool is_there(const struct olv_run *run, const struct olv_docket_entry *entry)
{
    const struct olv_reach *at = &run->turn.directory;
    return entry->place == OLV_IN_TREE && at->fd >= 0 && at->inode == entry->at.inode &&
           at->mount == entry->at.mount;
}

void emptying_enter(struct olv_run *run, const struct olv_docket_entry *entry)
{
    struct emptying *e = &run->emptying;
    if (!e->is_on || !is_there(run, entry) ||
        (e->fd >= 0 && strcmp(olv_text_string(&e->path), entry->directory) == 0))
        return;
    emptying_leave(run);
    olv_text_clear(&e->path);
    olv_text_puts(&e->path, entry->directory);
    e->fd = dup(run->turn.directory.fd);
    if (e->fd >= 0 && (e->path.failed || !olv_os_stat(e->fd, "", &e->before))) {
        olv_os_close(e->fd); /* without its times nothing is remembered: it is due later */
        e->fd = -1;
    }
}

void emptying_lost(struct olv_run *run, const struct olv_docket_entry *entry)
{
    struct emptying *e = &run->emptying;
    if (e->fd >= 0 && loses(entry) && strcmp(olv_text_string(&e->path), entry->directory) == 0)
        e->has_lost = true;
}

/* A private room in it goes first, for that changes its times, too. */
void emptying_leave(struct olv_run *run)
{
    struct emptying *e = &run->emptying;
    struct olv_error ignored = {0}; /* then it is due later */
    struct olv_register *reg;
    struct olv_stat after;
    if (e->fd < 0)
        return;
    if (e->has_lost) {
        stage_leave(&run->turn.ending.stage, run->session->options.observer);
        reg = run_register(run, DATABASE_MAKE, &ignored);
        if (reg && olv_os_stat(e->fd, "", &after) && after.links > 0)
            emptied_note(reg, olv_text_string(&e->path), &e->before, &after, &ignored);
    }
    olv_os_close(e->fd);
    e->fd = -1;
    e->has_lost = false;
}
