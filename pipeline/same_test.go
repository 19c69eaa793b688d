package pipeline_test

import (
	"context"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/site"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/reading"
)

// remembersRight sees that what a process has in memory, having followed each change, is what it would read from the
// database anew.
func (b *bench) remembersRight() {
	b.t.Helper()
	err := b.Do(context.Background(), func(t *reading.Turn) error {
		read, err := memory.Load(t.Ctx, t.Tx)
		if err != nil {
			return err
		}
		b.compare("this process", t.Site, read)
		return b.follows(t, read)
	})
	if err != nil && !errors.Is(err, commit.ErrAway) {
		b.t.Error(err)
	}
}

// compare tells where what is known differs from what was read.
func (b *bench) compare(who string, known, read *memory.Site) {
	b.t.Helper()
	kept, is := describe(known), describe(read)
	for what, says := range is {
		if kept[what] != says {
			b.t.Errorf("%s keeps %s as %s", who, what, differing(kept[what], says))
		}
	}
	for what, says := range kept {
		if is[what] == "" {
			b.t.Errorf("%s keeps %s, which is not there: %s", who, what, says)
		}
	}
}

// follows sees that a process that did nothing but look now and then knows the same. Where the clock has leapt since,
// it begins anew.
func (b *bench) follows(t *reading.Turn, read *memory.Site) error {
	b.t.Helper()
	var leapt int64
	if err := t.Tx.Get(t.Ctx, &leapt, `select leapt from ledger`); err != nil {
		return err
	}
	if b.watcher == nil || leapt != b.leapt {
		b.watcher, b.leapt = &memory.Memory{}, leapt
	}
	now, err := b.watcher.Begin(&commit.Turn{Tx: t.Tx, Ctx: t.Ctx, Store: t.Store, Now: t.Now, CommitNo: t.CommitNo,
		ConfigNo: t.ConfigNo})
	if err != nil {
		return err
	}
	b.compare("a process that looks on", now.Site, read)
	b.watcher.Ended(true)
	return nil
}

// differing gives the lines in which two texts differ.
func differing(kept, is string) (text string) {
	here, there := strings.Split(kept, "\n"), strings.Split(is, "\n")
	for i := range max(len(here), len(there)) {
		if i >= len(here) || i >= len(there) {
			return text + fmt.Sprintf("%d lines, but is %d", len(here), len(there))
		}
		if here[i] != there[i] {
			text += fmt.Sprintf("%s, but is %s; ", strings.TrimSpace(here[i]), strings.TrimSpace(there[i]))
		}
	}
	return text
}

// described is what is in memory, by what it is about.
type described map[string]string

func (d described) add(what string, says ...any) {
	text, err := json.MarshalIndent(says, "", " ")
	if err != nil {
		panic(err)
	}
	d[what] = string(text)
}

func describe(l *memory.Site) described {
	d := described{}
	d.add("site", l.Settings, l.Audience, l.Emergency)
	for id, device := range l.Devices {
		state := device.State
		behind := ""
		if device.Gateway != nil {
			behind = device.Gateway.Name
		}
		d.add(fmt.Sprint("device ", id), device.Device, state, device.Heard, behind,
			names(device.Members, func(m *memory.Device) string { return m.Name }), l.Named[device.Name] == device,
			l.ByName[device.Name] == &device.Device, l.ByID[id] == &device.Device, l.Eyes[id])
		for _, s := range device.Signals {
			d.signal(l, s)
		}
	}
	for id, g := range l.Guards {
		state := g.State
		// what is older is late for all guards of the signal
		state.Stepped = max(state.Stepped, g.Subject.State.SteppedAt, g.BegunAt)
		d.add(fmt.Sprint("guard ", id), g.Guard, state, g.BegunAt, g.Alarms, g.Suppressor.Guard, g.Suppressor.Signal,
			g.Suppressor.When.String(), g.Suppressor.When.A,
			names(g.Suppresses, guardName), l.Signals[g.Subject.ID] == g.Subject, g.When.A)
	}
	for id, o := range l.Outputs {
		d.add(fmt.Sprint("output ", id), o.Output, inOrder(o.Interlocks, lockName), o.Home.Outputs[o.Name] == o)
	}
	for id, i := range l.Interlocks {
		d.add(fmt.Sprint("interlock ", id), i.Interlock, i.State, i.BegunAt, i.DueAt, i.Broken,
			inOrder(i.DrivenBy(), path), i.Alarms.Names, i.Machine != nil, l.Outputs[i.Drives.ID] == i.Drives)
	}
	d.add("broken", names(l.Broken, lockName))
	for name, p := range l.Plans {
		d.add("plan "+name, p.Plan, p.Open)
	}
	for hash, k := range l.Keys {
		d.add("key "+hex.EncodeToString(hash[:4]), k, l.Retires[k.ID], l.Identity[site.Identity(k.Name, k.Number)].ID)
	}
	d.add("keys", len(l.Identity), len(l.Former), l.Enrolment, len(l.Signals), len(l.ByName), len(l.Named),
		len(l.Retires))
	return d
}

func (d described) signal(l *memory.Site, s *memory.Signal) {
	var derived []any
	if s.Derived != nil {
		derived = []any{s.Derived.Recipe, s.Derived.Inputs, s.Derived.Rank, inOrder(s.Derived.From, path),
			s.Derived.Into == s}
		for _, in := range s.Derived.From {
			derived = append(derived, l.Signals[in.ID] == in)
		}
	}
	feeds := []string{}
	for _, f := range s.Feeds {
		feeds = append(feeds, fmt.Sprint(f.Derived.Into.Path(), f.Place, f.Derived.Into.Derived == f.Derived))
	}
	state := s.State
	state.HighestAt = state.Newest() // which alone is used
	d.add(fmt.Sprint("signal ", s.ID), s.Signal, state, s.Timeline, inOrder(s.Guards, guardName),
		names(s.Suppresses, guardName), inOrder(s.Interlocks, lockName),
		names(s.Watchers, lockName), names(s.Plans, func(p *memory.Plan) string { return p.Name }), derived, feeds,
		l.Signals[s.ID] == s, l.Devices[s.Home.ID] == s.Home)
}

func path(s *memory.Signal) string        { return s.Path() }
func guardName(g *memory.Guard) string    { return g.Name }
func lockName(i *memory.Interlock) string { return i.Name }
func inOrder[T any](all []T, of func(T) string) (texts []string) {
	for _, one := range all {
		texts = append(texts, of(one))
	}
	return texts
}

// names are those of what has no order of its own.
func names[T any](all []T, of func(T) string) []string {
	texts := inOrder(all, of)
	slices.Sort(texts)
	return texts
}
