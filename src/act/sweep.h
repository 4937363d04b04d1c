/* SPDX-License-Identifier: Apache-2.0 */
#ifndef OLV_ACT_SWEEP_H
#define OLV_ACT_SWEEP_H

/* Of sweep, and of remake, which takes it back. */
struct sweep_arguments {
    const char *state; /* what is needed to make the directory again; see file/remaking.h */
};

#endif
