package demo

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/core/sketch"
	"jauntylark/pipeline"
	"jauntylark/standin"
)

// Memory is what the demo remembers between starts, in a file of its data folder.
type Memory struct {
	Password     string            `json:"password"`  // the owner's, when it was made here
	Keys         map[string]string `json:"keys"`      // of the devices
	Enrolment    string            `json:"enrolment"` // the site's enrolment key
	HistorySince measure.Instant   `json:"history_since"`
	Begun        measure.Instant   `json:"begun"` // when the site was first set up
	HistoryDone  bool              `json:"history_done"`
	Gateway      string            `json:"gateway,omitempty"` // where the stand-in listened at the last start
	path         string
}

// Remember reads the demo's memory, or begins one.
func Remember(dir string) (*Memory, error) {
	m := &Memory{Password: rand.Text()[:16], Keys: map[string]string{}, path: filepath.Join(dir, "demo.json")}
	data, err := os.ReadFile(m.path)
	if errors.Is(err, os.ErrNotExist) {
		return m, m.keep()
	}
	if err == nil {
		err = json.Unmarshal(data, m)
	}
	return m, err
}

func (m *Memory) keep() error {
	data, err := json.MarshalIndent(m, "", "  ")
	if err != nil {
		return err
	}
	fresh := m.path + ".new"
	if err := os.WriteFile(fresh, data, 0o600); err != nil {
		return err
	}
	return os.Rename(fresh, m.path)
}

// Site runs the demo site against a service.
type Site struct {
	Owner   *client.Client     // signed in as owner
	Ways    sketch.Ways        // where devices can send besides HTTP
	Inside  *pipeline.Pipeline // takes in the history, with frames, and lets guards look back over it
	Memory  *Memory
	Gateway *standin.Gateway                 // stands in for what reaches people
	Say     func(format string, args ...any) // one line a moment of what goes on
}

// SetUp makes the site what it should be: its name, people, devices, history and guards. What is
// there already stays.
func (s *Site) SetUp(ctx context.Context) error {
	var here site.Site
	if err := s.Owner.Call(ctx, api.GetSite.At(), nil, &here); err != nil {
		return err
	}
	if here.Name != siteName {
		here.Name, here.Zone, here.Currency, here.Holidays = siteName, zone, "EUR",
			site.Days{"2026-12-25", "2026-12-26", "2027-01-01"}
		if err := s.Owner.Call(ctx, api.PutSite.At(), here, nil); err != nil {
			return err
		}
	}
	tadhg := map[string]string{"email": "tadhg@hollowbrook.example", "name": "Tadhg", "role": "keeper"}
	if err := s.Owner.Call(ctx, api.AddPerson.At(), tadhg, nil); err != nil && !isTaken(err) {
		return err
	}
	for _, k := range kits {
		if err := s.Owner.Call(ctx, api.PutKit.At(k.Name), k, nil); err != nil {
			return err
		}
	}
	if err := s.begin(); err != nil {
		return err
	}
	all := devices(clock{begun: s.Memory.Begun})
	if err := s.addDevices(ctx, all); err != nil {
		return err
	}
	if err := s.enrol(ctx); err != nil {
		return err
	}
	if !s.Memory.HistoryDone {
		if err := s.writeHistory(ctx, all); err != nil {
			return err
		}
		for path, title := range called {
			if err := s.Owner.Call(ctx, api.SetSignal.At(strings.Split(path, "/")), map[string]string{"title": title},
				nil); err != nil {
				return err
			}
		}
		for _, d := range all {
			if err := s.expect(ctx, d.Device); err != nil {
				return err
			}
		}
		if err := s.giveMeaning(ctx); err != nil {
			return err
		}
		s.Memory.HistoryDone = true
		if err := s.Memory.keep(); err != nil {
			return err
		}
	}
	if err := s.reach(ctx); err != nil {
		return err
	}
	if err := s.guard(ctx); err != nil {
		return err
	}
	if err := s.switchable(ctx); err != nil {
		return err
	}
	if err := s.assets(ctx); err != nil {
		return err
	}
	if err := s.boards(ctx); err != nil {
		return err
	}
	if err := s.readers(ctx); err != nil {
		return err
	}
	return s.state(ctx)
}

func isTaken(err error) bool {
	var problem *client.Problem
	return errors.As(err, &problem) && problem.Status == http.StatusConflict
}

// enrol makes the site's enrolment key.
func (s *Site) enrol(ctx context.Context) error {
	if s.Memory.Enrolment != "" {
		return nil
	}
	var made struct {
		Key string `json:"key"`
	}
	if err := s.Owner.Call(ctx, api.NewEnrolment.At(), nil, &made); err != nil {
		return err
	}
	s.Memory.Enrolment = made.Key
	return s.Memory.keep()
}

func (s *Site) addDevices(ctx context.Context, all []device) error {
	for _, d := range all {
		if s.Memory.Keys[d.Name] != "" {
			continue
		}
		var added struct {
			Key string `json:"key"`
		}
		if err := s.Owner.Call(ctx, api.AddDevice.At(), map[string]string{"name": d.Name, "kit": d.kit},
			&added); err != nil {
			return fmt.Errorf("device %s: %w", d.Name, err)
		}
		s.Memory.Keys[d.Name] = added.Key
		if err := s.Memory.keep(); err != nil {
			return err
		}
	}
	return nil
}

// Run lets the devices send, and tells what goes on, until ctx ends.
func (s *Site) Run(ctx context.Context) {
	var all sync.WaitGroup
	for _, d := range devices(clock{begun: s.Memory.Begun, live: measure.InstantOf(time.Now())}) {
		link, err := s.link(ctx, d.by, d.Name, s.Memory.Keys[d.Name])
		if err != nil {
			s.Say("%s has no link: %v", d.Name, err)
			continue
		}
		all.Go(func() { d.Run(ctx, link, s.complain(d.Name)) })
	}
	if link, err := s.link(ctx, byMQTT, stranger().Name, s.Memory.Enrolment); err == nil {
		all.Go(func() { stranger().Run(ctx, link, func(error) {}) }) // it is turned away sometimes
	}
	all.Go(func() { s.narrate(ctx) })
	all.Wait()
}

func (s *Site) complain(name string) func(error) {
	return func(err error) { s.Say("%s could not send: %v", name, err) }
}

// link opens the way that a device sends by; HTTP where its own is not open.
func (s *Site) link(ctx context.Context, by, name, key string) (standin.Link, error) {
	switch {
	case by == byMQTT && s.Ways.MQTT != "":
		return standin.DialMQTT(ctx, s.Ways.MQTT, name, key)
	case by == byCoAP && s.Ways.CoAPS != "":
		return &standin.CoAP{Address: s.Ways.CoAPS, Name: name, Key: key}, nil
	case name == stranger().Name:
		return nil, errors.New("MQTT is not open")
	}
	return standin.HTTP{To: &client.Client{URL: s.Owner.URL, Token: key}}, nil
}

// expect states how often a device sends, unless somebody has ordered another interval.
func (s *Site) expect(ctx context.Context, d *standin.Device) error {
	var now site.Device
	if err := s.Owner.Call(ctx, api.GetDevice.At(d.Name), nil, &now); err != nil || now.Interval != 0 {
		return err
	}
	return s.Owner.Call(ctx, api.SetDevice.At(d.Name),
		map[string]string{"interval": measure.Duration(d.Every).String()}, nil)
}

// narrate tells each alarm as it comes and goes, and now and then what the house reads.
func (s *Site) narrate(ctx context.Context) {
	last, told := "", time.Time{}
	known, newest, ordered := map[int64]alarm.Alarm{}, map[string]string{}, map[string]drive.Output{}
	if signals := []site.Signal{}; s.Owner.Call(ctx, api.ListSignals.At(), nil, &signals) == nil {
		for _, v := range signals {
			if v.Value != nil {
				newest[v.Path()] = figureOf(&v)
			}
		}
	}
	for ctx.Err() == nil {
		_ = s.Owner.Follow(ctx, last, func(e client.Event) error {
			var change site.Update
			if e.Name != "change" || json.Unmarshal(e.Data, &change) != nil {
				return nil
			}
			last = e.ID
			for _, a := range change.Alarms {
				s.tellAlarm(known[a.ID], a)
				known[a.ID] = a
			}
			for _, o := range change.Outputs {
				s.tellOutput(ordered[o.Path()], o)
				ordered[o.Path()] = o
			}
			for _, v := range change.Signals {
				if v.Value != nil {
					newest[v.Path()] = figureOf(&v)
				}
			}
			if time.Since(told) > 10*time.Second {
				told = time.Now()
				s.Say("fern house %s and %s, pond oxygen %s, water %s", newest["fern-house/air"],
					newest["fern-house/humidity"], newest["pond/oxygen"], newest["pond/water"])
			}
			return nil
		})
		select {
		case <-ctx.Done():
		case <-time.After(time.Second):
		}
	}
}

// figureOf writes what a signal reads, no finer than its instrument can tell.
func figureOf(v *site.Signal) string {
	return v.Figure(*v.Value, nil)
}

func (s *Site) tellOutput(before, o drive.Output) {
	if before.No != o.No {
		s.Say("%s %s: %s", o.Path(), o.Goes(o.Ordered), o.Why)
	}
}

func (s *Site) tellAlarm(before, a alarm.Alarm) {
	switch {
	case a.State == alarm.StateOver && before.State != a.State:
		s.Say("alarm %d is over: %s", a.ID, a.Sentence)
	case a.AcknowledgedAt != nil && before.AcknowledgedAt == nil:
		s.Say("alarm %d: %s has it", a.ID, a.AcknowledgedBy)
	case before.ID == 0:
		s.Say("alarm %d, %s: %s", a.ID, a.Severity, a.Sentence)
	}
}
