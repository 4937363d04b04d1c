/* SPDX-License-Identifier: Apache-2.0 */
/* The front end's observer: shows progress, names troubles, hears Ctrl-C. */
#ifndef OLV_CLI_WATCH_H
#define OLV_CLI_WATCH_H

#include "cli/cli.h"

#include <stdint.h>

/* Sets cli->observer and cli->watch, and handles SIGINT and SIGTERM. */
bool watch_begin(struct cli *cli);
void watch_end(struct cli *cli);
/* Ends progress, before anything else is written. */
void watch_clear(struct cli *cli);
/* Hides progress while the work goes on. */
void watch_hide(struct cli *cli);
/* For progress "n of N"; and for the time left, if bytes tell more than files. */
void watch_expect(struct cli *cli, uint64_t files);
void watch_expect_bytes(struct cli *cli, uint64_t bytes);
/* Who is told of each outcome; NULL: nobody. */
void watch_outcomes(struct cli *cli, void (*each)(void *self, const struct olv_result_facts *facts),
                    void *self);
/* Who is told of what shows in the way of an entry; NULL: nobody, and nothing waits for an answer. */
void watch_obstacles(struct cli *cli, void (*met)(void *self, const struct olv_obstacle_met *met),
                     void *self);
/* Stops the work, as an interrupt does; and whether that was done, until it is taken back. */
void watch_stop(struct cli *cli, bool stops);
bool watch_is_stopped(const struct cli *cli);
/* Names what could not be read or done since the last call: the first twenty, or all with --verbose. */
void watch_print_troubles(struct cli *cli);
bool watch_is_interrupted(const struct cli *cli);

#endif
