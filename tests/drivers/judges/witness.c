/* Stands in for the C clients' way in: says what a driver hands to them, and connects to nothing.
   Each call adds a line to the file WITNESS: name:hexadecimal pairs. Where a driver has no such client (mysqlnd), it says
   which name is looked up and where it connects to, and leads it to the doorman, at port DOORMAN and the socket of that name. */
#define _GNU_SOURCE
#include <arpa/inet.h>
#include <dlfcn.h>
#include <netdb.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/un.h>

/* PHP binds its extensions to their own libraries first: not to us. */
void *dlopen(const char *file, int flags)
{
    void *(*real)(const char *, int) = dlsym(RTLD_NEXT, "dlopen");
    return real(file, flags & ~RTLD_DEEPBIND);
}

static FILE *line(void) { return fopen(getenv("WITNESS"), "a"); }

static void put(FILE *out, const char *name, const char *value)
{
    if (!value) return;
    fprintf(out, "%s:", name);
    for (; *value; value++) fprintf(out, "%02x", (unsigned char)*value);
    fputc(' ', out);
}

static void *said(const char *conninfo)
{
    FILE *out = line();
    put(out, "conninfo", conninfo);
    fputc('\n', out);
    fclose(out);
    return NULL; /* libpq's own functions take that for a connection that failed */
}

void *PQconnectdb(const char *conninfo) { return said(conninfo); }
void *PQconnectStart(const char *conninfo) { return said(conninfo); }

void *mysql_real_connect(void *handle, const char *host, const char *user, const char *password, const char *database,
                         unsigned port, const char *socket, unsigned long flags)
{
    char digits[16];
    FILE *out = line();
    snprintf(digits, sizeof digits, "%u", port);
    put(out, "host", host);
    put(out, "user", user);
    put(out, "password", password);
    put(out, "database", database);
    put(out, "port", port ? digits : NULL);
    put(out, "socket", socket);
    fputc('\n', out);
    fclose(out);
    (void)handle, (void)flags;
    return NULL;
}

int getaddrinfo(const char *name, const char *service, const struct addrinfo *hints, struct addrinfo **found)
{
    int (*real)(const char *, const char *, const struct addrinfo *, struct addrinfo **) = dlsym(RTLD_NEXT, "getaddrinfo");
    if (!getenv("DOORMAN")) return real(name, service, hints, found);
    FILE *out = line();
    put(out, "host", name);
    fclose(out);
    return real("127.0.0.1", service, hints, found);
}

int connect(int socket, const struct sockaddr *address, socklen_t length)
{
    int (*real)(int, const struct sockaddr *, socklen_t) = dlsym(RTLD_NEXT, "connect");
    const char *doorman = getenv("DOORMAN");
    if (!doorman) return real(socket, address, length);
    char digits[16];
    FILE *out = line();
    if (address->sa_family == AF_UNIX) {
        struct sockaddr_un own = {AF_UNIX, ""};
        put(out, "socket", ((const struct sockaddr_un *)address)->sun_path);
        fclose(out);
        snprintf(own.sun_path, sizeof own.sun_path, "%s.door", getenv("WITNESS"));
        return real(socket, (struct sockaddr *)&own, sizeof own);
    }
    struct sockaddr_in own = *(const struct sockaddr_in *)address;
    snprintf(digits, sizeof digits, "%u", ntohs(own.sin_port));
    put(out, "port", digits);
    fclose(out);
    own.sin_port = htons(atoi(doorman));
    return real(socket, (struct sockaddr *)&own, sizeof own);
}
