/* SPDX-License-Identifier: Apache-2.0 */
/* A word for people, and the number that stands for it on disk. */
#ifndef OLVIDO_WORD_H
#define OLVIDO_WORD_H

struct olv_word {
    const char *word; /* a list ends with NULL */
    int value;        /* below 256 */
};

#endif
