/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/plan_parts.h"

#include "judge/tally.h"
#include "olvido/items.h"

enum olv_reason why_it_waits(const struct olv_plan_options *options, size_t rule, const struct olv_act *act,
                             bool may_run_unattended)
{
    if (!options->is_unattended || !(act->traits & OLV_TOUCHES))
        return OLV_DUE;
    if (!may_run_unattended)
        return OLV_WAITING;
    if (!(act->traits & OLV_FINAL))
        return OLV_DUE;
    if (options->in_notice && options->in_notice[rule])
        return OLV_NOTICE;
    return options->is_clock_off ? OLV_CLOCK_OFF : OLV_DUE;
}

static void plan_trash_count(void *self, const struct olv_found_item *found)
{
    struct olv_plan *plan = self;
    struct olv_stat stat = {.size_bytes = found->size_bytes, .modified = found->deleted};
    tally_count(&plan->trash, &stat);
    plan->trash_directories += found->kind == OLV_KIND_DIRECTORY;
    plan->trash_files += found->files;
}

bool plan_trash(struct olv_plan *plan, const struct olv_policy *policy,
                const struct olv_plan_options *options, struct olv_error *err)
{
    struct olv_item_query query = {.only_ours = true,
                                   .has_until = true,
                                   .act = olv_act_named("clear"),
                                   .rule = OLV_OF_TRASH,
                                   .rule_name = "trash"};
    struct olv_spool *docket;
    if (!policy->has_trash_keep || !options->trashes)
        return true;
    plan->trash_reason = why_it_waits(options, policy->rule_count, query.act, policy->trash_unattended);
    query.until = olv_zone_cutoff(policy->zone, options->as_of, policy->trash_keep);
    query.until.s++; /* the bound is exclusive, but "at least that old" is due; trashes know whole seconds */
    docket = plan->trash_reason == OLV_DUE ? plan->docket : NULL;
    if (!olv_items_find(options->trashes, &query, docket, plan_trash_count, plan, err))
        return false;
    if (plan->trash_reason == OLV_DUE) {
        struct olv_tally due = plan->trash;
        due.files = plan->trash_files;
        due.directories = plan->trash_directories;
        tally_add(&plan->due, &due);
    }
    return true;
}
