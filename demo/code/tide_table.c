/* The daily table. See tide.c for the order of arguments. */
#include <stdio.h>

int tide_height(int gauge, int minutes);

void table(int gauge)
{
    for (int hour = 0; hour < 24; hour++) {
        int height = tide_height(hour * 60, gauge);
        printf("%02d00  %d cm\n", hour, height);
    }
    printf("high water about 0615 and 18:40\n");
}
