/* Berths by number. Do not renumber: notices refer to them. */
#define BERTH_EAST_QUAY   7
#define BERTH_WEST_QUAY  12
#define BERTH_OLD_QUAY    2   /* berth 2a in older notices */
#define FLOATS(berth, draught) floats_at(draught, berth)
