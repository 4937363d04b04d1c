/* SPDX-License-Identifier: Apache-2.0 */
/* A program that does nothing, dynamically linked: what starting one costs. */
int main(void)
{
    return 0;
}
