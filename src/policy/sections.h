/* SPDX-License-Identifier: Apache-2.0 */
/* The parts of a policy, one reader each: rules.c, sections.c. */
#ifndef OLV_POLICY_SECTIONS_H
#define OLV_POLICY_SECTIONS_H

#include "policy/mapping.h"

/* Readers of values, for tables of keys; `target` is the struct olv_policy. */
void read_rules(struct reader *r, struct fy_node *node, void *target);
void read_depots(struct reader *r, struct fy_node *node, void *target);
void read_limits(struct reader *r, struct fy_node *node, void *target);
void read_trash(struct reader *r, struct fy_node *node, void *target);
void read_zone(struct reader *r, struct fy_node *node, void *target);

/* Warns of what is allowed, but hardly meant: rules that can never match, steps that never come. */
void advise(struct reader *r);

#endif
