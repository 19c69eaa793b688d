package main

import (
	"context"
	"fmt"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"jauntylark/api"
	"jauntylark/service"
)

const (
	crowdDevices   = 200
	crowdFor       = 10 * time.Second
	backlogHours   = 9
	runawayThreads = 16
)

// crowd is devices that each send a reading a second over HTTP, and how long each waited.
type crowd struct {
	url  string
	keys []string
}

// live lets the crowd send for so long, and gives the waits, sorted.
func (c *crowd) live(long time.Duration) ([]time.Duration, error) {
	var mu sync.Mutex
	var waits []time.Duration
	begin := time.Now()
	err := atOnce(len(c.keys), func(w int) error {
		conn, err := call(c.url)
		if err != nil {
			return err
		}
		defer conn.conn.Close()
		time.Sleep(time.Duration(w) * time.Second / time.Duration(len(c.keys)))
		for time.Since(begin) < long {
			sent := time.Now()
			status, err := conn.post(api.SendReadings.At().Path, c.keys[w], "application/json",
				[]byte(`{"temp": 21.5}`))
			if err != nil || status != 204 {
				return fmt.Errorf("a live device: %d %v", status, err)
			}
			wait := time.Since(sent)
			mu.Lock()
			waits = append(waits, wait)
			mu.Unlock()
			time.Sleep(time.Until(sent.Add(time.Second)))
		}
		return nil
	})
	slices.Sort(waits)
	return waits, err
}

func p99(waits []time.Duration) time.Duration {
	return waits[len(waits)*99/100].Round(100 * time.Microsecond)
}

// backlog lets 200 devices send nine hours of a reading a minute at once, while 200 others are live.
func backlog(ctx context.Context, s *process) error {
	_, live, err := s.devices(ctx, "live", crowdDevices)
	if err != nil {
		return err
	}
	_, away, err := s.devices(ctx, "away", crowdDevices)
	if err != nil {
		return err
	}
	c := &crowd{s.url, live}
	quiet, err := c.live(crowdFor)
	if err != nil {
		return err
	}
	swallowed := make(chan error, 1)
	var took time.Duration
	go func() {
		time.Sleep(2 * time.Second)
		begin := time.Now()
		err := sendBacklog(s.url, away)
		took = time.Since(begin)
		swallowed <- err
	}()
	loud, err := c.live(crowdFor)
	if err != nil {
		return err
	}
	if err := <-swallowed; err != nil {
		return err
	}
	fmt.Printf("%d h of backlog of %d devices, %d readings: %.1f s\n", backlogHours, crowdDevices,
		crowdDevices*backlogHours*60, took.Seconds())
	fmt.Printf("  %d live devices meanwhile: p99 %v, without it %v\n", crowdDevices, p99(loud), p99(quiet))
	return nil
}

// sendBacklog sends what each device has kept in packs of an hour, as they come back one after the
// other, twenty at a time.
func sendBacklog(url string, keys []string) error {
	next := atomic.Int64{}
	return atOnce(20, func(int) error {
		conn, err := call(url)
		if err != nil {
			return err
		}
		defer conn.conn.Close()
		for {
			w := int(next.Add(1)) - 1
			if w >= len(keys) {
				return nil
			}
			for hour := range backlogHours {
				body := []byte("[")
				for minute := range 60 {
					if minute > 0 {
						body = append(body, ',')
					}
					body = fmt.Appendf(body, `{"n":"temp","t":%d,"v":%d}`, -((backlogHours-hour)*60-minute)*60, minute)
				}
				if status, err := conn.post(api.SendReadings.At().Path, keys[w], "application/senml+json",
					append(body, ']')); err != nil || status != 204 {
					return fmt.Errorf("backlog: %d %v", status, err)
				}
			}
		}
	})
}

// runaway lets one device send as fast as it can, at 50 times its rate and more, while 200 others send
// a reading a second: they lose nothing and keep their p99.
func runaway(ctx context.Context, s *process) error {
	other, err := serve(ctx, s.database, func(o *service.Settings) { o.DeviceRate = 0 }) // the default rate
	if err != nil {
		return err
	}
	defer other.stop()
	_, normal, err := other.devices(ctx, "normal", crowdDevices)
	if err != nil {
		return err
	}
	_, mad, err := other.devices(ctx, "mad", 1)
	if err != nil {
		return err
	}
	c := &crowd{other.url, normal}
	quiet, err := c.live(crowdFor)
	if err != nil {
		return err
	}
	var sent, taken atomic.Int64
	stop := make(chan struct{})
	ended := make(chan error, 1)
	go func() {
		ended <- atOnce(runawayThreads, func(int) error {
			conn, err := call(other.url)
			if err != nil {
				return err
			}
			defer conn.conn.Close()
			for {
				select {
				case <-stop:
					return nil
				default:
				}
				status, err := conn.post(api.SendReadings.At().Path, mad[0], "application/json",
					[]byte(`{"temp": 21.5}`))
				if err != nil {
					return err
				}
				sent.Add(1)
				if status == 204 {
					taken.Add(1)
				}
			}
		})
	}()
	loud, err := c.live(crowdFor)
	close(stop)
	if err := <-ended; err != nil {
		return err
	}
	if err != nil {
		return err
	}
	fmt.Printf("one device sends %.0f messages/s (its rate is 200/s), %.0f/s are taken; %d others at 1/s lose "+
		"nothing of %d\n", rate(int(sent.Load()), crowdFor), rate(int(taken.Load()), crowdFor), crowdDevices, len(loud))
	fmt.Printf("  their p99 %v, without it %v\n", p99(loud), p99(quiet))
	return nil
}
