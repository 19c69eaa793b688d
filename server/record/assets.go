package record

import (
	"context"
	"errors"
	"slices"
	"strings"

	"jauntylark/api"
	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/asset"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/run"
	"jauntylark/core/site"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/record"
	"jauntylark/server/place"
	"jauntylark/server/web"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// assetsOperations has the operations of this file answered.
func assetsOperations(v *web.Server) {
	web.Answer(v, api.ListAssets, listAssets)
	web.Answer(v, api.AddAsset, addAsset)
	web.Change(v, api.GetAsset, getAsset, api.ChangeAsset, changeAsset)
	web.Carry(v, api.RemoveAsset, removeAsset)
	web.Answer(v, api.BringAssetBack, bringAssetBack)
	web.Answer(v, api.SetCondition, setCondition)
	web.Answer(v, api.ListAssetJournal, listAssetJournal)
	web.Answer(v, api.GuardAsset, guardAsset)
}

// belongings are what may belong to assets, read once for all of them.
type belongings struct {
	assets  []asset.Asset
	signals []site.Signal
	guards  []alarm.Guard
	alarms  []alarm.Alarm
	eyes    map[string]bool // devices that have sent frames
}

const mostStanding = 1000

func belongingsOf(ctx context.Context, v *web.Server) (b belongings, err error) {
	if b.assets, err = config.Assets(ctx, v.Store); err != nil {
		return b, err
	}
	if b.signals, err = config.Signals(ctx, v.Store); err != nil {
		return b, err
	}
	if b.guards, err = config.Guards(ctx, v.Store); err != nil {
		return b, err
	}
	if b.alarms, err = events.Alarms(ctx, v.Store, events.AlarmQuery{Standing: true, Limit: mostStanding}); err != nil {
		return b, err
	}
	slices.SortStableFunc(b.alarms, func(x, y alarm.Alarm) int { return y.Severity.Compare(x.Severity) })
	directory, _ := v.Admission.Look()
	b.eyes = map[string]bool{}
	for id := range directory.Eyes {
		b.eyes[directory.ByID[id].Name] = true
	}
	return b, nil
}

// of narrows what there is down to one asset.
func (b *belongings) of(a *asset.Asset) belongings {
	return belongings{
		signals: slices.DeleteFunc(slices.Clone(b.signals), func(s site.Signal) bool { return !a.Has(s.Path()) }),
		guards:  slices.DeleteFunc(slices.Clone(b.guards), func(g alarm.Guard) bool { return !a.Has(g.Signal) }),
		alarms: slices.DeleteFunc(slices.Clone(b.alarms), func(l alarm.Alarm) bool {
			return l.Signal == "" || !a.Has(l.Signal) && !slices.Contains(a.Signals, l.Signal)
		}),
	}
}

// eyesOf gives the devices that send frames of an asset.
func (b *belongings) eyesOf(a *asset.Asset) []string {
	eyes := []string{}
	for device := range b.eyes {
		if a.HasDevice(device) {
			eyes = append(eyes, device)
		}
	}
	slices.Sort(eyes)
	return eyes
}

func listAssets(ctx context.Context, v *web.Server, _ *api.None) ([]api.AssetLine, error) {
	b, err := belongingsOf(ctx, v)
	if err != nil {
		return nil, err
	}
	runs, err := events.Runs(ctx, v.Store, events.RunQuery{Limit: 200})
	if err != nil {
		return nil, err
	}
	ordered, depths := asset.Tree(b.assets)
	lines := make([]api.AssetLine, len(ordered))
	for i := range ordered {
		a := &ordered[i]
		own := b.of(a)
		line := api.AssetLine{Asset: *a, Depth: depths[i], Guards: len(own.guards), Reading: own.telling()}
		if len(own.alarms) > 0 {
			line.Worst = own.alarms[0].Severity
		}
		if eyes := b.eyesOf(a); len(eyes) > 0 {
			line.Eye = eyes[0]
		}
		for k := range runs {
			if runs[k].Asset == a.Name && runs[k].EndedAt == nil {
				line.Run = &runs[k]
				break
			}
		}
		lines[i] = line
	}
	return lines, nil
}

// telling is the signal that tells most of an asset.
func (b *belongings) telling() *site.Signal {
	var wanted []string
	for _, a := range b.alarms {
		wanted = append(wanted, a.Signal)
	}
	for _, g := range b.guards {
		wanted = append(wanted, g.Signal)
	}
	for _, path := range wanted {
		for i := range b.signals {
			if b.signals[i].Path() == path {
				return &b.signals[i]
			}
		}
	}
	for i := range b.signals {
		if b.signals[i].Kind == site.KindNumber || b.signals[i].Kind == site.KindSwitch {
			return &b.signals[i]
		}
	}
	return nil
}

// findAsset finds an asset; the error names the nearest one.
func findAsset(v *web.Server, all []asset.Asset, name string) (*asset.Asset, error) {
	var names []string
	for i := range all {
		if names = append(names, all[i].Name); all[i].Name == name {
			return &all[i], nil
		}
	}
	return nil, web.Missing(store.ErrNotFound, "asset", name, names)
}

func getAsset(ctx context.Context, v *web.Server, in *api.AssetPath) (api.AssetPage, error) {
	return assetPage(ctx, v, in.Asset)
}

func assetPage(ctx context.Context, v *web.Server, name string) (p api.AssetPage, err error) {
	b, err := belongingsOf(ctx, v)
	if err != nil {
		return p, err
	}
	a, err := findAsset(v, b.assets, name)
	if err != nil {
		return p, err
	}
	own := b.of(a)
	p = api.AssetPage{Asset: *a, Place: namesOfAssets(a.Place(b.assets)), Signals: own.signals, Guards: own.guards,
		Alarms: own.alarms, Eyes: b.eyesOf(a), Plans: []run.Plan{}, Outputs: []drive.Output{}}
	p.Parts = namesOfAssets(slices.DeleteFunc(slices.Clone(b.assets), func(o asset.Asset) bool { return o.In != name }))
	paths := make([]string, len(own.signals))
	for i := range own.signals {
		paths[i] = own.signals[i].Path()
	}
	if p.Verified, err = config.NewestVerifications(ctx, v.Store, paths); err != nil {
		return p, err
	}
	if p.Attachments, err = config.Attachments(ctx, v.Store, a.ID); err != nil {
		return p, err
	}
	if p.Runs, err = events.Runs(ctx, v.Store, events.RunQuery{Asset: name, Limit: 20}); err != nil {
		return p, err
	}
	plans, err := config.Plans(ctx, v.Store)
	if err != nil {
		return p, err
	}
	for i := range plans {
		if plans[i].Asset == name {
			p.Plans = append(p.Plans, plans[i])
		}
	}
	outputs, err := config.Outputs(ctx, v.Store)
	if err != nil {
		return p, err
	}
	for i := range outputs {
		if slices.Contains(a.Outputs, outputs[i].Path()) {
			p.Outputs = append(p.Outputs, outputs[i])
		}
	}
	p.Words, err = wordsOf(ctx, v, a, &own, paths, p.Runs)
	return p, err
}

func namesOfAssets(all []asset.Asset) []api.AssetName {
	names := make([]api.AssetName, len(all))
	for i := range all {
		names[i] = api.AssetName{Name: all[i].Name, Called: all[i].Called(), Condition: all[i].Condition}
	}
	return names
}

// wordsOf tells how an asset does.
func wordsOf(ctx context.Context, v *web.Server, a *asset.Asset, own *belongings, paths []string,
	runs []run.Run) ([]string, error) {
	here, err := config.Site(ctx, v.Store)
	if err != nil {
		return nil, err
	}
	f := asset.Facts{Asset: *a, Site: here, Now: v.Pipeline.Now(), Signals: len(own.signals), Guards: len(own.guards)}
	for i := range own.signals {
		s := &own.signals[i]
		if s.SilentSince != nil {
			f.Silent = append(f.Silent, s.Title)
		}
	}
	for i := range own.guards {
		if own.guards[i].OutOfUse != nil || own.guards[i].Shelved != nil {
			f.Asleep++
		}
	}
	for _, l := range own.alarms {
		if l.Kind == alarm.ByDueDate {
			f.Due = append(f.Due, l.Signal)
		} else {
			f.Alarms = append(f.Alarms, l.Sentence)
		}
	}
	if i := slices.IndexFunc(runs, func(r run.Run) bool { return r.EndedAt == nil }); i >= 0 {
		f.Run, f.RunSince = runs[i].Title, runs[i].StartedAt
	}
	over, err := config.LastOver(ctx, v.Store, paths)
	if over != 0 {
		f.LastOver = &over
	}
	return f.Say(), err
}

func addAsset(ctx context.Context, v *web.Server, in *api.Body[api.AssetDraft]) (api.AssetPage, error) {
	if err := record.AddAsset(ctx, v.Pipeline, in.Body.Name, in.Body.AssetChange, web.Who(ctx)); err != nil {
		return api.AssetPage{}, err
	}
	return assetPage(ctx, v, in.Body.Name)
}

func changeAsset(ctx context.Context, v *web.Server, in *api.ChangeAssetIn) (api.AssetPage, error) {
	if err := record.ChangeAsset(ctx, v.Pipeline, in.Asset, in.Body, web.Who(ctx)); err != nil {
		return api.AssetPage{}, err
	}
	return assetPage(ctx, v, in.Asset)
}

func setCondition(ctx context.Context, v *web.Server, in *api.SetConditionIn) (api.AssetPage, error) {
	if err := record.SetCondition(ctx, v.Pipeline, in.Asset, in.Body, web.Who(ctx)); err != nil {
		return api.AssetPage{}, err
	}
	return assetPage(ctx, v, in.Asset)
}

func removeAsset(ctx context.Context, v *web.Server, in *api.AssetPath) error {
	return record.RemoveAsset(ctx, v.Pipeline, in.Asset, web.Who(ctx))
}

func bringAssetBack(ctx context.Context, v *web.Server, in *api.AssetPath) (api.AssetPage, error) {
	if err := record.BringAssetBack(ctx, v.Pipeline, in.Asset, web.Who(ctx)); err != nil {
		return api.AssetPage{}, err
	}
	return assetPage(ctx, v, in.Asset)
}

func guardAsset(ctx context.Context, v *web.Server, in *api.GuardAssetIn) (act.Watch, error) {
	if err := place.Tidy(&in.Body.Guard); err != nil {
		var f *measure.Fault
		if errors.As(err, &f) {
			return act.Watch{}, web.Wrong("guard."+f.Field, f.Reason)
		}
		return act.Watch{}, err
	}
	return record.PutUnderGuard(ctx, v.Pipeline, in.Asset, in.Body, web.Who(ctx))
}

func listAssetJournal(ctx context.Context, v *web.Server, in *api.ListAssetJournalIn) ([]site.Entry, error) {
	b, err := belongingsOf(ctx, v)
	if err != nil {
		return nil, err
	}
	a, err := findAsset(v, b.assets, in.Asset)
	if err != nil {
		return nil, err
	}
	q := events.JournalQuery{Subjects: []string{memory.AssetSubject(a.Name)}, Devices: []string{}, Limit: in.More()}
	if q.Before, err = in.Before(); err != nil {
		return nil, err
	}
	for _, s := range a.Signals {
		if strings.Contains(s, "/") {
			q.Subjects = append(q.Subjects, s)
		} else {
			q.Devices = append(q.Devices, s)
		}
	}
	q.Subjects = append(q.Subjects, a.Outputs...)
	own := b.of(a)
	for i := range own.guards {
		q.Subjects = append(q.Subjects, own.guards[i].Name)
	}
	return events.Journal(ctx, v.Store, q)
}
