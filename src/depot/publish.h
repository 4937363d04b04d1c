/* SPDX-License-Identifier: Apache-2.0 */
/* A proven archive gets its name: in a depot one after the other is tried, and the catalogue knows each
 * before the file gets it, so that it is cleared after a crash. */
#ifndef OLV_DEPOT_PUBLISH_H
#define OLV_DEPOT_PUBLISH_H

#include "depot/catalogue.h"
#include "file/fresh.h"

/* The name to try after `more` others. */
typedef void (*depot_naming)(const char *wanted, unsigned more, char out[NAME_MAX + 1]);

/* Durably gives the archive of this row the first name that is free. */
bool depot_publish(struct olv_catalogue *catalogue, int64_t row, struct fresh *archive, depot_naming naming,
                   const char *wanted, char placed[NAME_MAX + 1], struct olv_error *err);
/* The same outside a depot, for the one name. */
bool depot_publish_beside(struct fresh *archive, const char *wanted, char placed[NAME_MAX + 1],
                          struct olv_error *err);
/* Durably removes it again. False if that is impossible. */
bool depot_take_back(struct fresh *archive, const char *placed);

#endif
