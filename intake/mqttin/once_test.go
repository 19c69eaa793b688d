package mqttin_test

import (
	"database/sql"
	"encoding/json"
	"testing"
	"time"

	"jauntylark/api"

	_ "github.com/jackc/pgx/v5/stdlib"

	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

// slowly holds up all commits until the function that it gives is called.
func slowly(t *testing.T, db *sql.DB) (goOn func()) {
	t.Helper()
	tx, err := db.Begin()
	if err != nil {
		t.Fatal(err)
	}
	if _, err := tx.Exec(`select from ledger for update`); err != nil {
		t.Fatal(err)
	}
	return func() { _ = tx.Rollback() }
}

// waits waits until a commit waits for its turn.
func waits(t *testing.T, db *sql.DB) {
	t.Helper()
	storetest.Eventually(t, "a commit waits", func() (is bool) {
		err := db.QueryRow(
			`select exists (select from pg_stat_activity where datname = current_database() and wait_event_type = 'Lock'
				and query like '%update ledger%')`).Scan(&is)
		return err == nil && is
	})
}

// A first copy at QoS 2 that commits just after its connection closed, followed by the copy that comes again and by
// PUBREL while the next commit is slow, is one reading.
func TestOnceThoughPubrelComesBeforeTheCommit(t *testing.T) {
	database := storetest.URL(t)
	s := servertest.On(t, database, "127.0.0.1:0")
	db, err := sql.Open("pgx", database)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	key := s.Device("pond").Token
	s.Send(s.Device("other"), `{"v": 1}`)
	const topic = "jaunty/pond/readings/level"
	c := connect(t, s.Ways.MQTT, "probe", "pond", key)
	goOn := slowly(t, db)
	c.send(publish2(topic, "21.5", 7, false))
	waits(t, db)
	c.Close()
	goOn()
	count := func() int {
		var page struct{ Readings []json.RawMessage }
		s.Do(api.ListReadings.At("pond", "level"), nil, &page)
		return len(page.Readings)
	}
	storetest.Eventually(t, "the first copy is committed", func() (is bool) {
		err := db.QueryRow(
			`select exists (select from reading r join signal s on s.id = r.signal_id where s.name = 'level')`).Scan(
			&is)
		return err == nil && is
	})
	c = connect(t, s.Ways.MQTT, "probe", "pond", key)
	goOn = slowly(t, db)
	c.send(publish2(topic, "21.5", 7, true))
	c.send([]byte{0x62, 2, 0, 7})
	waits(t, db)
	time.Sleep(150 * time.Millisecond) // PUBREL must not be taken meanwhile
	goOn()
	c.send(publish2(topic, "22", 8, false))
	for got := c.receive(); got != [4]byte{0x50, 2, 0, 8}; got = c.receive() { // by then all before it is committed
		if got != [4]byte{0x50, 2, 0, 7} && got != [4]byte{0x70, 2, 0, 7} {
			t.Fatalf("%x came", got)
		}
	}
	if n := count(); n != 2 {
		t.Errorf("%d readings of two messages", n)
	}
}
