/* SPI devices. Source: linux/spi/spidev.h and Documentation/spi/spidev. */
#include "shim.h"
#include <linux/spi/spidev.h>

static int spi_message(uint64_t handle, unsigned long request, void *argument)
{
    struct spi_ioc_transfer transfers[_IOC_SIZEMASK / sizeof(struct spi_ioc_transfer) + 1];
    size_t count = _IOC_SIZE(request) / sizeof *transfers, total = 0;
    static __thread unsigned char out[sizeof transfers + MOST_SPI], in[MOST_SPI];
    struct question asked = {.kind = MESSAGE, .handle = handle, .first = count};
    unsigned char *at = out;
    int error;

    if (_IOC_SIZE(request) % sizeof *transfers)
        return failed(EINVAL);
    if (!count)
        return 0;
    if (copy_in(transfers, argument, count * sizeof *transfers) < 0)
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
    error = ask(&asked, out, in, sizeof in, NULL);
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
