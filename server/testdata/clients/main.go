// The day of a program that works against the API by a client that oapi-codegen has made from its description: a device,
// its readings, a guard, an alarm, its acknowledgement, the feed and an export.
package main

import (
	"context"
	"fmt"
	"log"
	"net/http"
	"os"
	"strings"
	"time"

	"clients/lark"
)

func main() {
	log.SetFlags(0)
	address, email, password := os.Args[1], os.Args[2], os.Args[3]
	c, token := signedIn(address, email, password)
	as := func(key string) lark.RequestEditorFn {
		return func(_ context.Context, r *http.Request) error {
			r.Header.Set("Authorization", "Bearer "+key)
			return nil
		}
	}
	me := as(token)
	day(c, me, as)
	fmt.Println("done")
}

func signedIn(address, email, password string) (*lark.ClientWithResponses, string) {
	c, err := lark.NewClientWithResponses(address)
	check(err == nil, "%v", err)
	got, err := c.CreateTokenWithResponse(context.Background(), lark.Credentials{Email: email, Password: password})
	check(err == nil && got.JSON201 != nil, "token: %v %s", err, got.Body)
	return c, got.JSON201.Token
}

func day(c *lark.ClientWithResponses, me lark.RequestEditorFn, as func(string) lark.RequestEditorFn) {
	ctx := context.Background()
	feed, err := c.GetChangesWithResponse(ctx, &lark.GetChangesParams{Cursor: to("now")}, me)
	check(err == nil && feed.JSON200 != nil, "feed: %v", err)
	cursor := feed.JSON200.Next

	outputs, err := c.ListOutputsWithResponse(ctx, me)
	check(err == nil && outputs.JSON200 != nil, "outputs: %v", err)
	check(outputs.JSON200.Emergency == nil, "no emergency is read as one: %+v", outputs.JSON200.Emergency)

	key := to("day-1")
	added, err := c.AddDeviceWithResponse(ctx, &lark.AddDeviceParams{IdempotencyKey: key}, lark.NewDevice{Name: "box"}, me)
	check(err == nil && added.JSON201 != nil, "device: %v %s", err, added.Body)
	again, err := c.AddDeviceWithResponse(ctx, &lark.AddDeviceParams{IdempotencyKey: key}, lark.NewDevice{Name: "box"}, me)
	check(err == nil && again.JSON201 != nil && again.JSON201.Key == added.JSON201.Key, "again: %v %s", err, again.Body)
	device := as(added.JSON201.Key)

	sent := 0
	send := func(value float64) {
		at := time.Now().UTC().Format(time.RFC3339Nano)
		got, err := c.SendReadingsWithResponse(ctx, nil, map[string]any{"at": at, "temp": value}, device)
		check(err == nil && got.StatusCode() == http.StatusNoContent, "readings: %v %s", err, got.Body)
		sent++
		time.Sleep(5 * time.Millisecond)
	}
	send(20)

	order := lark.GuardOrderInput{Name: to("hot"), Signal: "box/temp", When: "above 30"}
	order.OnDelay = &lark.GuardOrderInput_OnDelay{}
	check(order.OnDelay.FromGuardOrderInputOnDelay1("0s") == nil, "a text is no length of time")
	guard, err := c.AddGuardWithResponse(ctx, nil, order, me)
	check(err == nil && guard.JSON201 != nil, "guard: %v %s", err, guard.Body)
	check(guard.JSON201.OnDelay == nil || *guard.JSON201.OnDelay == 0, "on-delay: %v", guard.JSON201.OnDelay)
	shown, err := c.GetGuardWithResponse(ctx, "hot", me)
	check(err == nil && shown.JSON200 != nil, "guard: %v", err)
	tag := shown.HTTPResponse.Header.Get("ETag")
	patch := lark.PatchGuardApplicationMergePatchPlusJSONRequestBody{Advice: to("Open the vent.")}
	changed, err := c.PatchGuardWithApplicationMergePatchPlusJSONBodyWithResponse(ctx, "hot", &lark.PatchGuardParams{IfMatch: &tag}, patch, me)
	check(err == nil && changed.JSON200 != nil, "patch: %v %s", err, changed.Body)
	changed, err = c.PatchGuardWithApplicationMergePatchPlusJSONBodyWithResponse(ctx, "hot", &lark.PatchGuardParams{IfMatch: &tag}, patch, me)
	check(err == nil && changed.StatusCode() == http.StatusPreconditionFailed && changed.ApplicationproblemJSON412 != nil,
		"an old tag: %v %s", err, changed.Body)

	for _, v := range []float64{35, 36, 20} {
		send(v)
	}
	alarms, err := c.ListAlarmsWithResponse(ctx, &lark.ListAlarmsParams{All: to(true), Guard: to("hot")}, me)
	check(err == nil && alarms.JSON200 != nil && len(*alarms.JSON200) == 1, "alarms: %v %s", err, alarms.Body)
	alarm := (*alarms.JSON200)[0]
	check(alarm.ClearedAt != nil && alarm.Advice == "Open the vent.", "alarm: %+v", alarm)
	taken, err := c.AcknowledgeAlarmWithResponse(ctx, alarm.Id, lark.AcknowledgeAlarmJSONRequestBody{Comment: to("aired")}, me)
	check(err == nil && taken.JSON200 != nil && taken.JSON200.AcknowledgedAt != nil, "acknowledged: %v %s", err, taken.Body)

	told := map[string]int{}
	for more := true; more; {
		page, err := c.GetChangesWithResponse(ctx, &lark.GetChangesParams{Cursor: &cursor}, me)
		check(err == nil && page.JSON200 != nil, "feed: %v", err)
		for _, change := range page.JSON200.Changes {
			if change.Readings != nil {
				told["readings"] += len(*change.Readings)
			} else {
				told[change.Entry.Kind]++
			}
		}
		cursor, more = page.JSON200.Next, page.JSON200.More
	}
	check(told["readings"] >= sent && told["device added"] == 1 && told["guard added"] == 1 && told["guard changed"] == 1 &&
		told["alarm raised"] == 1 && told["alarm over"] == 1 && told["alarm acknowledged"] == 1, "told: %v", told)

	export, err := c.ExportReadingsWithResponse(ctx, &lark.ExportReadingsParams{What: &[]string{"box"}}, me)
	check(err == nil && export.StatusCode() == http.StatusOK, "export: %v %s", err, export.Body)
	lines := strings.Split(strings.TrimSpace(string(export.Body)), "\n")
	check(len(lines) == 1+sent, "%d lines of %d readings: %s", len(lines), sent, export.Body)

	none, err := c.GetTariffWithResponse(ctx, "none", me)
	check(err == nil && none.ApplicationproblemJSON404 != nil && none.ApplicationproblemJSON404.Type == "/problems/not-there",
		"what is not there: %v %s", err, none.Body)
}

func to[T any](v T) *T { return &v }

func check(ok bool, format string, args ...any) {
	if !ok {
		log.Fatalf(format, args...)
	}
}
