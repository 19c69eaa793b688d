package place

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/api"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/record"
	"jauntylark/server/web"
	"jauntylark/store"
	"jauntylark/store/config"
)

// removedOperations has the operations of this file answered.
func removedOperations(v *web.Server) {
	web.Answer(v, api.ListRemoved, listRemoved)
	web.Carry(v, api.BringBack, bringBack)
}

// removedKinds are the kinds of what can be brought back, and who may.
var removedKinds = map[string]site.Role{
	"asset": site.Keeper, "attachment": site.Keeper, "board": site.Keeper, "contact": site.Keeper, "device": site.Owner,
	"guard":     site.Keeper,
	"interlock": site.Keeper, "kit": site.Keeper, "output": site.Keeper, "person": site.Owner, "picture": site.Keeper,
	"plan":   site.Keeper,
	"roster": site.Keeper, "run": site.Keeper, "signal": site.Keeper, "statement": site.Keeper, "stretch": site.Keeper,
	"tariff": site.Keeper,
	"total":  site.Keeper, "trial": site.Keeper,
}

// listRemoved gives what was removed in the last 30 days and can be brought back, the newest first: boards that others
// keep to themselves are left out, and people for all but owners.
func listRemoved(ctx context.Context, v *web.Server, in *api.ListRemovedIn) ([]site.Removal, error) {
	if _, known := removedKinds[in.Kind]; in.Kind != "" && !known {
		return nil, web.Wrong("kind", site.Unknown("kind", in.Kind, kindNames()))
	}
	all, err := configure.Removed(ctx, v.Pipeline)
	if err != nil {
		return nil, err
	}
	boards, err := config.Boards(ctx, v.Store)
	if err != nil {
		return nil, err
	}
	who := web.PersonOf(ctx)
	oldest := v.Pipeline.Now().Add(-site.BringBackFor)
	for i := range boards {
		if b := &boards[i]; b.RemovedAt != nil && *b.RemovedAt >= oldest && b.SeenBy(&who) {
			all = append(all, site.Removal{Kind: "board", Name: b.Name, Title: b.Title, At: *b.RemovedAt, By: b.Maker})
		}
	}
	all = slices.DeleteFunc(all, func(r site.Removal) bool {
		return in.Kind != "" && r.Kind != in.Kind || r.Kind == "person" && who.Role != site.Owner
	})
	slices.SortStableFunc(all, func(a, b site.Removal) int { return int(b.At - a.At) })
	for i := range all {
		all[i].Until = all[i].At.Add(site.BringBackFor)
	}
	return append([]site.Removal{}, all...), nil
}

func bringBack(ctx context.Context, v *web.Server, in *api.Body[api.BringBackOrder]) error {
	need, known := removedKinds[in.Body.Kind]
	person := web.PersonOf(ctx)
	switch {
	case !known:
		return web.Wrong("kind", site.Unknown("kind", in.Body.Kind, kindNames()))
	case !person.Role.May(need):
		return huma.NewError(http.StatusForbidden, fmt.Sprintf("This takes the role %s; you are %s.", need,
			person.Role))
	}
	name := strings.TrimSpace(in.Body.Name)
	if name == "" {
		return &measure.Fault{Field: "name", Reason: "is empty; it is what was removed"}
	}
	var err error
	switch in.Body.Kind {
	case "board":
		err = record.BringBoardBack(ctx, v.Pipeline, name, &person)
	case "asset":
		err = record.BringAssetBack(ctx, v.Pipeline, name, web.Who(ctx))
	default:
		err = configure.BringBack(ctx, v.Pipeline, in.Body.Kind, name, web.Who(ctx))
	}
	if errors.Is(err, store.ErrNotFound) {
		err = neverRemoved(ctx, v, in.Body.Kind, name)
	}
	return err
}

// neverRemoved says that nothing of a kind and name was removed, with the nearest name that was.
func neverRemoved(ctx context.Context, v *web.Server, kind, name string) error {
	all, err := listRemoved(ctx, v, &api.ListRemovedIn{Kind: kind})
	if err != nil {
		return err
	}
	var names []string
	for _, r := range all {
		names = append(names, r.Name)
	}
	return web.Missing(store.ErrNotFound, kind+" among what was removed in the last 30 days called", name, names)
}

func kindNames() []string {
	var names []string
	for k := range removedKinds {
		names = append(names, k)
	}
	slices.Sort(names)
	return names
}
