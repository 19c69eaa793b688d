package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"io"
	"net"
	"os"
	"strings"
	"syscall"

	"github.com/jackc/pgx/v5/pgconn"
)

// Away tells whether err means that the database cannot be reached, was cut off, changes nothing now or has no room, so
// that the same call may succeed later.
func Away(err error) bool {
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		return awayCode(pg.Code)
	}
	var network *net.OpError
	var connecting *pgconn.ConnectError
	if errors.As(err, &network) || errors.As(err, &connecting) || pgconn.SafeToRetry(err) {
		return true
	}
	for _, cut := range []error{ErrReadOnly, errVanished, driver.ErrBadConn, sql.ErrConnDone, io.EOF,
		io.ErrUnexpectedEOF, net.ErrClosed, context.DeadlineExceeded, os.ErrDeadlineExceeded, syscall.ECONNRESET,
		syscall.EPIPE, syscall.ENOSPC} {
		if errors.Is(err, cut) {
			return true
		}
	}
	return false
}

// The codes of PostgreSQL (its manual, appendix A) that say the database is away: each is a code or the beginning of
// some.
var awayCodes = []string{
	"08",    // connection
	"25006", // it changes nothing: read-only, or a standby
	"25P03", // it ended a transaction that stood still
	"25P04", // it ended a transaction that took too long
	"40",    // serialisation
	"53",    // out of resources
	"55P03", // a lock is not to be had
	"57P",   // it is shut down, starts, or ended the connection
	"57014", // it ended a statement that took too long
	"58",    // its system failed
}

func awayCode(code string) bool {
	for _, c := range awayCodes {
		if strings.HasPrefix(code, c) {
			return true
		}
	}
	return false
}

// NoRoom tells whether err means that the database's disk is full.
func NoRoom(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.Code == "53100" || errors.Is(err, syscall.ENOSPC)
}

// ReadOnly tells whether err means that the database changes nothing now.
func ReadOnly(err error) bool {
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		return pg.Code == "25006"
	}
	// as the driver says it of a new one
	return errors.Is(err, ErrReadOnly) || err != nil && strings.Contains(err.Error(), "read only connection")
}

// TookTooLong tells whether err means that a statement or a request was ended because it took too long.
func TookTooLong(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.Code == "57014" || errors.Is(err, context.DeadlineExceeded)
}
