/* SPDX-License-Identifier: Apache-2.0 */
/* The parts of a policy, one reader each: rules.c, steps.c, sections.c. */
#ifndef OLV_POLICY_SECTIONS_H
#define OLV_POLICY_SECTIONS_H

#include "policy/mapping.h"

enum { MOST_DEPOTS = 100 };

/* Readers of values for tables of keys; `target` is the struct olv_policy. */
void read_rules(struct reader *r, struct fy_node *node, void *target);
void read_depots(struct reader *r, struct fy_node *node, void *target);
void read_limits(struct reader *r, struct fy_node *node, void *target);
void read_trash(struct reader *r, struct fy_node *node, void *target);
void read_zone(struct reader *r, struct fy_node *node, void *target);

/* `target` is the struct olv_rule. */
void read_steps(struct reader *r, struct fy_node *node, void *target);
/* Complains about steps that do not fit what the rule is about. `item` is the rule's mapping. */
void check_steps_fit(struct reader *r, struct fy_node *item, const struct olv_rule *rule);

/* Warns of what is valid, but probably unintended: rules that can never match, steps that never come. */
void advise(struct reader *r);

#endif
