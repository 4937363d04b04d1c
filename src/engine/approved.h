/* SPDX-License-Identifier: Apache-2.0 */
/* The approved part of a docket, known before the first batch begins, because archives are made of it one
 * after the other. */
#ifndef OLV_ENGINE_APPROVED_H
#define OLV_ENGINE_APPROVED_H

#include "olvido/run.h"

/* Copies the approved entries into a new docket in batch order, with all entries of one archive together;
 * counts the declined ones. Returns the same docket if nothing has to change; NULL with `err`. */
struct olv_spool *approved_docket(struct olv_spool *docket, const struct olv_approval *approval,
                                  struct olv_run_result *result, struct olv_error *err);

#endif
