package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"io"
	"net"
	"os"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/jmoiron/sqlx"
)

// Part is what connections are for. Each part has connections of its own, which nothing else can take.
type Part int

// The parts, by who waits for the answer.
const (
	// what the service is for besides: notices, orders, keys. It is what a context without a part means
	Own        Part = iota
	Commits         // intake and alarms: the commits of the pipeline, which wait for nothing else of the process
	Background      // what goes on in the background
	Pages           // people's requests
	Long            // people's requests that take long
	parts
)

// String names the part.
func (p Part) String() string {
	return [parts]string{"own", "commits", "background", "pages", "long"}[p]
}

type partKey struct{}

// For lets all that is done with a context use the connections of a part.
func For(ctx context.Context, p Part) context.Context { return context.WithValue(ctx, partKey{}, p) }

func partOf(ctx context.Context) Part {
	p, _ := ctx.Value(partKey{}).(Part)
	return p
}

// bounds are what a part may take.
type bounds struct {
	connections int
	statement   time.Duration // a statement may take so long
	stands      time.Duration // a transaction may stand still for so long
}

const (
	connectWithin = 3 * time.Second
	cutAfter      = 2 * time.Second // a statement that the database itself does not end is cut so much later
)

// A process that stands still inside a commit must not hold up the others for long, so what stands still in Commits is
// short. What a statement may take there is how long a database that has vanished goes unnoticed.
var boundsOf = [parts]bounds{
	Commits:    {connections: 3, statement: 6 * time.Second, stands: 8 * time.Second},
	Own:        {connections: 8, statement: 6 * time.Second, stands: 8 * time.Second},
	Background: {connections: 6, statement: time.Minute, stands: 30 * time.Second},
	Pages:      {connections: 10, statement: 15 * time.Second, stands: 15 * time.Second},
	Long:       {connections: 8, statement: time.Minute, stands: time.Minute},
}

// pools are the connections of a process, by part.
type pools struct {
	of   [parts]*sqlx.DB
	open context.Context // until they are closed
	end  context.CancelFunc
}

func openPools(config *pgx.ConnConfig) (p pools) {
	p.open, p.end = context.WithCancel(context.Background())
	lost := new(vanished)
	for part, b := range boundsOf {
		db := sqlx.NewDb(stdlib.OpenDB(*bounded(p.open, config, b, lost), stdlib.OptionAfterConnect(noteBirth),
			stdlib.OptionShouldPing(lost.mayAsk), stdlib.OptionResetSession(lost.fit)), "pgx")
		db.SetMaxOpenConns(b.connections)
		db.SetMaxIdleConns((b.connections + 1) / 2)
		db.SetConnMaxIdleTime(5 * time.Minute)
		p.of[part] = db
	}
	return p
}

// bounded is a configuration whose connections give up within the bounds, on this side and on the database's. Once
// they are no longer open, none is made: the driver asks by a new one that what it gave up be ended, whoever waits.
func bounded(open context.Context, config *pgx.ConnConfig, b bounds, lost *vanished) *pgx.ConnConfig {
	c := config.Copy()
	c.ConnectTimeout = connectWithin
	c.ValidateConnect = pgconn.ValidateConnectTargetSessionAttrsReadWrite
	c.RuntimeParams["statement_timeout"] = strconv.FormatInt(b.statement.Milliseconds(), 10)
	c.RuntimeParams["idle_in_transaction_session_timeout"] = strconv.FormatInt(b.stands.Milliseconds(), 10)
	c.OnPgError = lost.hear
	dial := (&net.Dialer{Timeout: connectWithin, KeepAlive: 5 * time.Second}).DialContext
	c.DialFunc = func(ctx context.Context, network, address string) (net.Conn, error) {
		ctx, done := context.WithCancel(ctx)
		defer done()
		defer context.AfterFunc(open, done)()
		conn, err := dial(ctx, network, address)
		if err != nil {
			if ctx.Err() == nil {
				lost.now()
			}
			return nil, err
		}
		return &hasty{Conn: conn, within: b.statement + cutAfter, lost: lost}, nil
	}
	return c
}

// vanished is when a connection was last cut or waited in vain, or could not be made: those that are older have most
// likely lost the other side too.
type vanished struct{ at atomic.Int64 } // nanoseconds since 1970

func (v *vanished) now() { v.at.Store(time.Now().UnixNano()) }

// hear notes that the database ends its connections, and tells whether this one lives on.
func (v *vanished) hear(_ *pgconn.PgConn, err *pgconn.PgError) bool {
	if strings.HasPrefix(err.Code, "57P0") { // its manual, appendix A: an operator intervened
		v.now()
	}
	return !strings.EqualFold(err.Severity, "FATAL")
}

const bornKey = "born"

func noteBirth(_ context.Context, c *pgx.Conn) error {
	c.PgConn().CustomData()[bornKey] = time.Now().UnixNano()
	return nil
}

// fit throws away connections that are not fit to be used again: those that may have lost the other side, and those to
// a database that has become read-only, so that the next one is looked at anew.
func (v *vanished) fit(_ context.Context, c *pgx.Conn) error {
	on := c.PgConn().ParameterStatus
	if v.older(c) || on("default_transaction_read_only") == "on" || on("in_hot_standby") == "on" {
		return driver.ErrBadConn
	}
	return nil
}

func (v *vanished) older(c *pgx.Conn) bool {
	born, _ := c.PgConn().CustomData()[bornKey].(int64)
	return born <= v.at.Load()
}

// mayAsk tells whether a connection is asked whether it still works before it is used again: not one that is thrown
// away anyhow.
func (v *vanished) mayAsk(_ context.Context, p stdlib.ShouldPingParams) bool {
	return p.IdleDuration > time.Second && !v.older(p.Conn)
}

// hasty is a connection on which each wait for the other side ends in time: a database that has stopped, or whose
// packets are dropped, refuses nothing and says nothing.
type hasty struct {
	net.Conn
	within time.Duration
	lost   *vanished
	mu     sync.Mutex
	read   time.Time // deadlines that the user has set
	write  time.Time
}

// Read waits for the other side for so long at most.
func (h *hasty) Read(into []byte) (int, error) {
	h.mu.Lock()
	until, own := h.soonest(h.read)
	err := h.Conn.SetReadDeadline(until)
	h.mu.Unlock()
	if err != nil {
		return 0, err
	}
	n, err := h.Conn.Read(into)
	return n, h.judge(err, own)
}

// Write waits for the other side for so long at most.
func (h *hasty) Write(from []byte) (int, error) {
	h.mu.Lock()
	until, own := h.soonest(h.write)
	err := h.Conn.SetWriteDeadline(until)
	h.mu.Unlock()
	if err != nil {
		return 0, err
	}
	n, err := h.Conn.Write(from)
	return n, h.judge(err, own)
}

// errVanished is not one of the timeouts after which the driver would wait once more.
var errVanished = errors.New("the database does not answer")

// judge gives up a connection that waited in vain, and notes one that the other side has cut.
func (h *hasty) judge(err error, own time.Time) error {
	if errors.Is(err, io.EOF) || errors.Is(err, syscall.ECONNRESET) || errors.Is(err, syscall.EPIPE) {
		h.lost.now()
	}
	if !errors.Is(err, os.ErrDeadlineExceeded) || own.IsZero() || time.Now().Before(own) {
		return err
	}
	h.lost.now()
	_ = h.Conn.Close()
	return errVanished
}

// soonest gives the sooner of the user's deadline and its own, and its own where that is the one.
func (h *hasty) soonest(set time.Time) (until, own time.Time) {
	if own = time.Now().Add(h.within); set.IsZero() || own.Before(set) {
		return own, own
	}
	return set, time.Time{}
}

// SetDeadline sets both deadlines.
func (h *hasty) SetDeadline(t time.Time) error {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.read, h.write = t, t
	return h.Conn.SetDeadline(t)
}

// SetReadDeadline sets the deadline of reading.
func (h *hasty) SetReadDeadline(t time.Time) error {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.read = t
	return h.Conn.SetReadDeadline(t)
}

// SetWriteDeadline sets the deadline of writing.
func (h *hasty) SetWriteDeadline(t time.Time) error {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.write = t
	return h.Conn.SetWriteDeadline(t)
}

// Connections gives, by the names of the parts, what tells how their connections are used.
func (s *Store) Connections() map[string]func() sql.DBStats {
	all := map[string]func() sql.DBStats{}
	for part, db := range s.db.of {
		all[Part(part).String()] = db.Stats
	}
	return all
}

// on is the connections of what a context is for.
func (p pools) on(ctx context.Context) *sqlx.DB { return p.of[partOf(ctx)] }

// Close ends all connections.
func (p pools) Close() (err error) {
	p.end()
	for _, db := range p.of {
		if closeErr := db.Close(); err == nil {
			err = closeErr
		}
	}
	return err
}
