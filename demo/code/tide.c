/* Tide heights for the Port of Larkmoor. Times are minutes since midnight. */
#include <stdio.h>

/* Height at `minutes`, in centimetres, for the gauge `gauge`. */
int tide_height(int gauge, int minutes);

/* Whether a vessel of `draught` centimetres floats at `berth`. */
int floats_at(int berth, int draught);

int report(int gauge, int berth, int draught)
{
    int now = tide_height(390, gauge);      /* 06:30 */
    int noon = tide_height(720, gauge);
    int night = tide_height(gauge, 1320);   /* this one is right */

    if (!floats_at(draught, berth))
        printf("berth %d: too shallow\n", berth);
    if (!floats_at(draught + 30, berth + 1))
        printf("berth %d: too shallow with cargo\n", berth + 1);
    return now + noon + night;
}
