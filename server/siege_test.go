package server_test

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/record"
	"jauntylark/server/servertest"
	"jauntylark/store"
	"jauntylark/store/storetest"
)

// holdAll takes every connection of a part of the store, until the test ends.
func holdAll(t *testing.T, s *servertest.Service, part store.Part) (held int) {
	t.Helper()
	ctx, cancel := context.WithCancel(store.For(context.Background(), part))
	t.Cleanup(cancel)
	for {
		looked := make(chan error, 1)
		go func() {
			_, err := s.Records.Look(ctx)
			looked <- err
		}()
		select {
		case err := <-looked:
			if err != nil {
				t.Fatal(err)
			}
			held++
		case <-time.After(300 * time.Millisecond):
			return held
		}
	}
}

// Whatever else is held, readings are taken, alarms raised and people told.
func TestIntakeAlarmsAndNoticesHaveConnectionsOfTheirOwn(t *testing.T) {
	storetest.Long(t)
	storetest.Alone(t)
	s := servertest.Start(t)
	pond := s.Device("pond")
	s.Send(pond, `{"oxygen": 8}`)
	s.Guard(object{"name": "low", "signal": "pond/oxygen", "when": "below 5", "severity": "critical",
		"tell": []string{servertest.Owner}})
	for _, part := range []store.Part{store.Background, store.Pages, store.Long} {
		if held := holdAll(t, s, part); held == 0 {
			t.Fatal("no connection of", part, "could be held")
		}
	}
	if status := statusOf(t, pond, ready, ""); status != http.StatusOK {
		t.Error("ready, since readings are taken:", status)
	}
	begun := time.Now()
	s.Send(pond, `{"oxygen": 4}`)
	if out, err := pubAs(t, s.Ways.MQTT, "pond", pond.Token, `{"oxygen": 3.5}`); err != nil {
		t.Error(out, err)
	}
	storetest.Eventually(t, "the raise is mailed", func() bool { return len(s.Inbox.Messages()) > 0 })
	t.Log("taken and told in", time.Since(begun))
	if err := s.Owner.Call(context.Background(), api.ListAlarms.At(), nil, nil); err == nil ||
		!strings.Contains(err.Error(), "took too long") {
		t.Error("a page while all its connections are held:", err)
	}
	if holdAll(t, s, store.Own) == 0 {
		t.Fatal("no connection for notices could be held")
	}
	s.Send(pond, `{"oxygen": 4.2}`)
}

func pubAs(t *testing.T, address, device, key, body string) (string, error) {
	t.Helper()
	host, port, _ := net.SplitHostPort(address)
	return servertest.Command(t, "mosquitto_pub", "-h", host, "-p", port, "-u", device, "-P", key, "-q", "1", "-t",
		"jaunty/"+device+"/readings", "-m", body)
}

// unread asks for a file and reads nothing of it but the status.
func unread(t *testing.T, s *servertest.Service, c *client.Client, at api.Place) int {
	t.Helper()
	conn, err := net.Dial("tcp", strings.TrimPrefix(s.URL, "http://"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { conn.Close() })
	_ = conn.(*net.TCPConn).SetReadBuffer(4096)
	fmt.Fprintf(conn, "%s HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer %s\r\n\r\n", at, c.Token)
	_ = conn.SetReadDeadline(time.Now().Add(30 * time.Second))
	line, err := bufio.NewReaderSize(conn, 64).ReadString('\n')
	if err != nil {
		return 0
	}
	var status int
	fmt.Sscanf(line, "HTTP/1.1 %d", &status)
	return status
}

// Exports that nobody reads hold up neither intake, nor pages, nor charts; a person has two of them, and they end.
func TestExportsThatNobodyReads(t *testing.T) {
	storetest.Long(t)
	storetest.Alone(t)
	s := servertest.Start(t)
	d := s.Device("d")
	until := measure.InstantOf(time.Now().Truncate(time.Hour))
	long := &record.Past{Signal: "d/temp", Kind: site.KindNumber, Unit: "Cel"}
	for at := until - 400_000*1000; at < until; at += 1000 {
		long.Readings = append(long.Readings, measure.Reading{At: at, Value: float64(at%97_000) / 3000})
	}
	if _, err := record.Import(context.Background(), s.Pipeline, long); err != nil {
		t.Fatal(err)
	}
	readers := []*client.Client{s.Owner}
	for i := range 2 {
		email := fmt.Sprintf("v%d@hollowbrook.example", i)
		s.Do(api.AddPerson.At(), object{"email": email, "name": "V", "role": "viewer", "password": servertest.Password},
			nil)
		readers = append(readers, s.SignIn(email, servertest.Password))
	}
	var all sync.WaitGroup
	var mu sync.Mutex
	answers := map[int]int{}
	for i := range 30 {
		all.Go(func() {
			status := unread(t, s, readers[i%3], api.ExportReadings.At().Asking("what", "d/temp"))
			mu.Lock()
			defer mu.Unlock()
			answers[status]++
		})
	}
	time.Sleep(time.Second) // the first have begun, the others wait for their turn
	for range 20 {
		begun := time.Now()
		s.Send(d, `{"hum": 40}`)
		s.Do(api.ListSignals.At(), nil, nil)
		s.Do(api.ListLines.At().Asking("signal", "d/temp"), nil, nil)
		if took := time.Since(begun); took > 5*time.Second {
			t.Fatal("a reading, a page and a chart took", took)
		}
	}
	all.Wait()
	if answers[http.StatusOK] < 4 || answers[http.StatusTooManyRequests] == 0 || answers[http.StatusOK]+
		answers[http.StatusTooManyRequests]+answers[http.StatusServiceUnavailable] != 30 {
		t.Error("answers by status:", answers)
	}
	storetest.Eventually(t, "those who do not read are cut off", func() bool {
		return s.Owner.Download(context.Background(), api.ExportReadings.At().Asking("what", "d/temp"),
			io.Discard) == nil
	})
}
