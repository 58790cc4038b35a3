/* How long calls take, in µs: the median and the 95th percentile of each. */
#include <fcntl.h>
#include <linux/gpio.h>
#include <linux/i2c-dev.h>
#include <linux/i2c.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <time.h>
#include <unistd.h>

enum { COUNT = 1000, READS = 1000000 };

static double took[COUNT];

static double now(void)
{
    struct timespec at;
    clock_gettime(CLOCK_MONOTONIC, &at);
    return at.tv_sec * 1e6 + at.tv_nsec / 1e3;
}

static int order(const void *one, const void *other)
{
    return (*(double *)one > *(double *)other) - (*(double *)one < *(double *)other);
}

static void say(const char *name)
{
    qsort(took, COUNT, sizeof *took, order);
    printf("%s %.2f %.2f\n", name, took[COUNT / 2], took[COUNT * 95 / 100]);
}

static int line(int chip, unsigned offset, unsigned long long flags)
{
    struct gpio_v2_line_request request;
    memset(&request, 0, sizeof request);
    request.offsets[0] = offset;
    request.num_lines = 1;
    request.config.flags = flags;
    return ioctl(chip, GPIO_V2_GET_LINE_IOCTL, &request) < 0 ? -1 : request.fd;
}

int main(int count, char **words)
{
    int file = open(words[0], O_RDONLY), chip, out, in, bus;
    char page[4096];
    double before = now();
    for (int n = 0; n < READS; n++) /* itself, a page at a time */
        if (read(file, page, sizeof page) != sizeof page)
            lseek(file, 0, SEEK_SET);
    printf("read %.4f 0\n", (now() - before) / READS);
    if (count > 1)
        return 0;
    chip = open("/dev/gpiochip0", O_RDWR);
    out = line(chip, 17, GPIO_V2_LINE_FLAG_OUTPUT);
    in = line(chip, 4, GPIO_V2_LINE_FLAG_INPUT | GPIO_V2_LINE_FLAG_EDGE_RISING | GPIO_V2_LINE_FLAG_EDGE_FALLING);
    for (int n = 0; n < COUNT; n++) {
        struct gpio_v2_line_values values = {!(n & 1), 1};
        struct gpio_v2_line_event event;
        before = now();
        if (ioctl(out, GPIO_V2_LINE_SET_VALUES_IOCTL, &values) || read(in, &event, sizeof event) != sizeof event)
            return 2;
        took[n] = now() - before;
    }
    say("edge");
    bus = open("/dev/i2c-1", O_RDWR);
    for (int n = 0; n < COUNT; n++) {
        unsigned char place = 0x0E, came[1];
        struct i2c_msg both[2] = {{0x22, 0, 1, &place}, {0x22, I2C_M_RD, 1, came}};
        struct i2c_rdwr_ioctl_data all = {both, 2};
        before = now();
        if (ioctl(bus, I2C_RDWR, &all) != 2)
            return 3;
        took[n] = now() - before;
    }
    say("register");
    return 0;
}
