/* Counts the tides of a year: a small program with recursion, two functions that call each other and an inlined one. */
#include <math.h>
#include <stdio.h>
static inline double level(int hour) { return sin(hour / 4.0) * 2; }
int odd(int n);
int even(int n) { return n == 0 || odd(n - 1); }
int odd(int n) { return n != 0 && even(n - 1); }
double crossing(double low, double high, int deep) {
    double middle = (low + high) / 2;
    if (deep > 12) return middle;
    return sin(middle) > 0.3 ? crossing(low, middle, deep + 1) : crossing(middle, high, deep + 1);
}
int main(void) {
    double sum = 0;
    int evens = 0;
    for (int hour = 0; hour < 8760; hour++) { sum += level(hour); if (hour % 24 == 0) sum += crossing(0, 1.5, 0); }
    for (int n = 0; n < 200; n++) evens += even(n);
    printf("%.3f %d\n", sum, evens);
    return 0;
}
