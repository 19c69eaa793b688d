package main

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"jauntylark/api"
)

const (
	mailDevices = 50
	mailRate    = 1000 // readings a second over all devices
	mailAlarms  = 300
)

// mails measures the time from the acknowledgement of a reading that raises an alarm to the sink's
// acceptance of the mail, while a thousand readings a second come in.
func mails(ctx context.Context, s *process) error {
	key, err := s.device(ctx, "alarming")
	if err != nil {
		return err
	}
	alarming, err := call(s.url)
	if err != nil {
		return err
	}
	send := func(value float64) error {
		if status, err := alarming.post(api.SendReadings.At().Path, key, "application/json",
			fmt.Appendf(nil, `{"level": %v}`, value)); err != nil || status != 204 {
			return fmt.Errorf("alarming: %d %v", status, err)
		}
		return nil
	}
	if err := send(0); err != nil {
		return err
	}
	guard := map[string]any{"signal": "alarming/level", "when": "above 10",
		"tell": []string{"bench@hollowbrook.example"}}
	if err := s.owner.Call(ctx, api.AddGuard.At(), guard, nil); err != nil {
		return err
	}
	background, stop := context.WithCancel(ctx)
	defer stop()
	done := make(chan error, 1)
	go func() { done <- drizzle(background, s) }()
	time.Sleep(500 * time.Millisecond)
	var acked []time.Time
	for i := range mailAlarms {
		if err := send(11 + float64(i)/1000); err != nil {
			return err
		}
		acked = append(acked, time.Now())
		time.Sleep(20 * time.Millisecond)
		if err := send(0); err != nil {
			return err
		}
		time.Sleep(20 * time.Millisecond)
	}
	for end := time.Now().Add(30 * time.Second); len(s.inbox.Messages()) < 2*mailAlarms && time.Now().Before(end); {
		time.Sleep(50 * time.Millisecond)
	}
	stop()
	if err := <-done; err != nil {
		return err
	}
	return report(s, acked)
}

func report(s *process, acked []time.Time) error {
	var took []time.Duration
	for _, m := range s.inbox.Messages() {
		if strings.HasPrefix(m.Subject, "Warning") {
			took = append(took, m.ReceivedAt.Time().Sub(acked[len(took)]))
		}
	}
	if len(took) != mailAlarms {
		return fmt.Errorf("%d raises were mailed of %d", len(took), mailAlarms)
	}
	slices.Sort(took)
	fmt.Printf("acknowledged reading to accepted mail, at %d readings/s: p50 %v, p99 %v (aim: p99 under 250 ms)\n",
		mailRate, took[len(took)/2].Round(time.Millisecond), took[len(took)*99/100].Round(time.Millisecond))
	return nil
}

// drizzle sends mailRate readings a second from mailDevices devices until ctx ends.
func drizzle(ctx context.Context, s *process) error {
	var keys []string
	for d := range mailDevices {
		key, err := s.device(ctx, fmt.Sprintf("drizzle-%d", d))
		if err != nil {
			return err
		}
		keys = append(keys, key)
	}
	return atOnce(mailDevices, func(w int) error {
		c, err := call(s.url)
		if err != nil {
			return err
		}
		tick := time.NewTicker(time.Second * mailDevices / mailRate)
		defer tick.Stop()
		for n := 0; ; n++ {
			select {
			case <-ctx.Done():
				return nil
			case <-tick.C:
			}
			if status, err := c.post(api.SendReadings.At().Path, keys[w], "application/json",
				fmt.Appendf(nil, `{"v": %d}`, n)); err != nil || status != 204 {
				return fmt.Errorf("drizzle: %d %v", status, err)
			}
		}
	})
}
