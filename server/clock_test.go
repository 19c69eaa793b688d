package server_test

import (
	"strings"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/clock"
	"jauntylark/core/site"
	"jauntylark/server/servertest"
	"jauntylark/service"
	"jauntylark/store/storetest"
)

// The clock of a whole service leaps: it is noticed though nobody sends anything, stands in the journal, and what comes
// next is stored by the new time. A delay that ran goes on.
func TestAServiceWhoseClockLeaps(t *testing.T) {
	storetest.Long(t)
	hands := clock.Running()
	inbox, sink := servertest.Sink(t)
	s := servertest.On(t, storetest.URL(t), "127.0.0.1:0", func(o *service.Settings) {
		o.Clock, o.SMTP = hands.Clock, sink
	})
	device := s.Device("pump")
	s.Send(device, `{"temp": 20}`)
	s.Guard(map[string]any{"name": "hot", "signal": "pump/temp", "when": "above 30", "on_delay": "7s",
		"severity": "critical", "tell": []string{"orla@hollowbrook.example"}})
	entries := func() (texts []string) {
		var all []site.Entry
		s.Do(api.ListJournal.At().Asking("kind", "clock changed"), nil, &all)
		for _, e := range all {
			texts = append(texts, e.Text)
		}
		return texts
	}
	for _, c := range []struct {
		by   time.Duration
		says string
	}{{-time.Hour, "set back by 1 hour"}, {3 * time.Hour, "set forward by 3 hours"}} {
		s.Send(device, `{"temp": 35}`)
		begun, before, alarms, mails := time.Now(), hands.Now(), len(s.Alarms()), len(inbox.Messages())
		hands.Leap(c.by)
		storetest.Eventually(t, "it is noticed", func() bool {
			all := entries()
			return len(all) > 0 && strings.Contains(all[0], c.says)
		})
		// which it does once the leap is committed
		storetest.Eventually(t, "the clock shows the new time", func() bool {
			off := hands.Now().Sub(before) - c.by
			return off >= 0 && off <= time.Since(begun)+time.Second
		})
		for time.Since(begun) < 3*time.Second {
			s.Send(device, `{"temp": 35}`)
			if n := len(s.Alarms()); n != alarms {
				t.Fatalf("raised after %v: %+v", time.Since(begun), s.Alarms())
			}
			time.Sleep(200 * time.Millisecond)
		}
		storetest.Eventually(t, "it is raised and told", func() bool {
			s.Send(device, `{"temp": 35}`)
			return len(s.Alarms()) == alarms+1 && len(inbox.Messages()) == mails+1
		})
		sent := hands.Now()
		s.Send(device, `{"temp": 35}`)
		// the service's clock follows within a second
		if at := s.Signal("pump/temp").At; at == nil || *at < sent-1000 || *at > hands.Now()+1000 {
			t.Errorf("the newest reading is of %v, and it is %v", at, hands.Now())
		}
		s.Send(device, `{"temp": 20}`)
		storetest.Eventually(t, "it is over and told", func() bool { return len(inbox.Messages()) == mails+2 })
	}
}
