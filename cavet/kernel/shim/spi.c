/* SPI devices. Source: linux/spi/spidev.h and Documentation/spi/spidev. */
#include "shim.h"
#include <linux/spi/spidev.h>

/* What a message of so many transfers needs: the program's, and what goes to the bench and comes back. */
struct spi_room { size_t transfers, out; };

static struct spi_room room_for(size_t count)
{
    return (struct spi_room){count * sizeof(struct spi_ioc_transfer), count * sizeof(struct shift) + MOST_SPI};
}

static int do_message(uint64_t handle, size_t count, void *argument, unsigned char *room)
{
    struct spi_room sizes = room_for(count);
    struct spi_ioc_transfer *transfers = (void *)room;
    unsigned char *out = room + sizes.transfers, *in = out + sizes.out, *at = out;
    struct question asked = {.kind = MESSAGE, .handle = handle, .first = count};
    size_t total = 0;
    int error;

    if (copy_in(transfers, argument, sizes.transfers) < 0)
        return failed(EFAULT);
    for (size_t n = 0; n < count; n++) {
        struct shift shift = {transfers[n].len, transfers[n].speed_hz, transfers[n].delay_usecs,
                              transfers[n].bits_per_word, transfers[n].cs_change};
        if (transfers[n].len > MOST_SPI || (total += transfers[n].len) > MOST_SPI)
            return failed(EMSGSIZE);
        memcpy(at, &shift, sizeof shift);
        at += sizeof shift;
    }
    for (size_t n = 0; n < count; n++) {
        void *from = (void *)(uintptr_t)transfers[n].tx_buf;
        memset(at, 0, transfers[n].len);
        if (from && copy_in(at, from, transfers[n].len) < 0)
            return failed(EFAULT);
        at += transfers[n].len;
    }
    asked.size = at - out;
    error = ask(&asked, out, in, MOST_SPI, NULL);
    if (error)
        return failed(error);
    at = in;
    for (size_t n = 0; n < count; n++) {
        void *into = (void *)(uintptr_t)transfers[n].rx_buf;
        if (into && copy_out(into, at, transfers[n].len) < 0)
            return failed(EFAULT);
        at += transfers[n].len;
    }
    return total;
}

static int spi_message(uint64_t handle, unsigned long request, void *argument)
{
    size_t count = _IOC_SIZE(request) / sizeof(struct spi_ioc_transfer);
    struct spi_room sizes = room_for(count);
    size_t whole = sizes.transfers + sizes.out + MOST_SPI;
    unsigned char *room;
    int done;

    if (_IOC_SIZE(request) % sizeof(struct spi_ioc_transfer))
        return failed(EINVAL);
    if (!count)
        return 0;
    room = take_room(whole);
    done = room ? do_message(handle, count, argument, room) : failed(ENOMEM);
    give_room(room, whole);
    return done;
}

int spi_control(uint64_t handle, unsigned long request, void *argument)
{
    struct question asked = {.kind = GET, .handle = handle, .first = _IOC_NR(request)};
    uint64_t value = 0;
    size_t size = _IOC_SIZE(request);
    int error;

    if (_IOC_TYPE(request) != SPI_IOC_MAGIC)
        return failed(ENOTTY);
    if (_IOC_NR(request) == 0 && _IOC_DIR(request) == _IOC_WRITE)
        return spi_message(handle, request, argument);
    if (_IOC_NR(request) < 1 || _IOC_NR(request) > 5 || (size != 1 && size != 4))
        return failed(ENOTTY);
    if (_IOC_DIR(request) == _IOC_WRITE) {
        if (copy_in(&value, argument, size) < 0)
            return failed(EFAULT);
        return set(handle, _IOC_NR(request), value);
    }
    error = ask(&asked, NULL, NULL, 0, &value);
    if (error)
        return failed(error);
    return copy_out(argument, &value, size) < 0 ? failed(EFAULT) : 0;
}
