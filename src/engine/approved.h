/* SPDX-License-Identifier: Apache-2.0 */
/* What is approved of a docket, known before its first batch begins: archives are made of that, one after the
 * other. */
#ifndef OLV_ENGINE_APPROVED_H
#define OLV_ENGINE_APPROVED_H

#include "olvido/run.h"

/* Copies what is approved of the docket into a new one, in the order of the batches to come, in which all
 * entries of one archive stand together; counts what is declined. Returns the docket itself where it is all
 * that already; NULL with `err`. */
struct olv_spool *approved_docket(struct olv_spool *docket, const struct olv_approval *approval,
                                  struct olv_run_result *result, struct olv_error *err);

#endif
