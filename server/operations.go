package server

import (
	"context"
	"net/http"
	"reflect"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/core/asset"
	"jauntylark/core/board"
	"jauntylark/core/drive"
	"jauntylark/core/site"
	"jauntylark/intake/httpin"
)

// nobody is the role of an operation that asks for no sign-in.
const nobody site.Role = ""

// operation declares one operation of the API: the role it takes, its name, its place, and what it
// does.
func operation[In, Out any](v *Server, role site.Role, id, method, path, summary string, do func(context.Context, *In) (*Out, error), adjust ...func(*huma.Operation)) {
	op := huma.Operation{OperationID: id, Method: method, Path: path, Summary: summary, MaxBodyBytes: 1 << 20}
	if role != nobody {
		op.Metadata = map[string]any{"role": role}
		op.Security = []map[string][]string{{"token": {}}, {"session": {}}}
		op.Description = "Takes the role " + string(role) + "."
	}
	for _, a := range adjust {
		a(&op)
	}
	huma.Register(v.api, op, func(ctx context.Context, in *In) (*Out, error) {
		out, err := do(ctx, in)
		if err != nil {
			return nil, v.problem(err)
		}
		return out, nil
	})
}

func status(code int) func(*huma.Operation) {
	return func(op *huma.Operation) { op.DefaultStatus = code }
}

// body is an answer with a body.
type body[T any] struct{ Body T }

func answer[T any](v T, err error) (*body[T], error) {
	if err != nil {
		return nil, err
	}
	return &body[T]{v}, nil
}

// none is an operation's input or answer without anything in it.
type none struct{}

// routes declares all operations. Each line says who may do what.
func (v *Server) routes() {
	const viewer, keeper, owner = site.Viewer, site.Keeper, site.Owner

	operation(v, nobody, "sign-in", http.MethodPost, "/api/v1/session", "Sign in to the console", v.signIn)
	operation(v, viewer, "get-session", http.MethodGet, "/api/v1/session", "Who is signed in", v.session)
	operation(v, viewer, "sign-out", http.MethodDelete, "/api/v1/session", "Sign out, or give a token back", v.signOut, status(http.StatusNoContent))
	operation(v, nobody, "create-token", http.MethodPost, "/api/v1/tokens", "Get a bearer token for the command line or a program", v.createToken, status(http.StatusCreated))

	operation(v, viewer, "get-site", http.MethodGet, "/api/v1/site", "The site", v.getSite)
	operation(v, owner, "put-site", http.MethodPut, "/api/v1/site", "Change the site", v.putSite)

	operation(v, owner, "list-people", http.MethodGet, "/api/v1/people", "Who can sign in", v.listPeople)
	operation(v, owner, "add-person", http.MethodPost, "/api/v1/people", "Let a person sign in", v.addPerson, status(http.StatusCreated))
	operation(v, owner, "set-role", http.MethodPut, "/api/v1/people/{email}/role", "Change a person's role", v.setRole)
	operation(v, owner, "remove-person", http.MethodDelete, "/api/v1/people/{email}", "Remove a person with all sessions and tokens", v.removePerson, status(http.StatusNoContent))

	operation(v, viewer, "list-devices", http.MethodGet, "/api/v1/devices", "All devices", v.listDevices)
	operation(v, owner, "add-device", http.MethodPost, "/api/v1/devices", "Add a device; its key is told once", v.addDevice, status(http.StatusCreated))
	operation(v, viewer, "get-device", http.MethodGet, "/api/v1/devices/{device}", "One device with its keys and what was tried with unknown ones", v.getDevice)
	operation(v, keeper, "set-device", http.MethodPatch, "/api/v1/devices/{device}", "Say what a device is called, how often it sends, what it stands behind", v.setDevice)
	operation(v, owner, "remove-device", http.MethodDelete, "/api/v1/devices/{device}", "Delete a device with its readings; its keys are remembered", v.removeDevice, status(http.StatusNoContent))
	operation(v, viewer, "get-code", http.MethodGet, "/api/v1/devices/{device}/code", "Ready text that connects a device, with a mark in place of its key", v.getCode)
	operation(v, keeper, "order-settings", http.MethodPut, "/api/v1/devices/{device}/settings", "Order a device's settings", v.orderSettings)
	operation(v, viewer, "list-keys", http.MethodGet, "/api/v1/devices/{device}/keys", "A device's keys, and when and from where they were last used", v.listKeys)
	operation(v, owner, "rotate-key", http.MethodPost, "/api/v1/devices/{device}/keys", "Give a device a new key; the old one stays good for a while", v.rotateKey, status(http.StatusCreated))
	operation(v, owner, "revoke-key", http.MethodDelete, "/api/v1/devices/{device}/keys/{key}", "End a key at once; connections that it opened are closed", v.revokeKey, status(http.StatusNoContent))

	operation(v, viewer, "list-arrivals", http.MethodGet, "/api/v1/arrivals", "Devices that announced themselves", v.listArrivals)
	operation(v, owner, "let-in", http.MethodPost, "/api/v1/arrivals/{name}/let-in", "Make an arrival a device, with what it has sent so far", v.letDeviceIn)
	operation(v, owner, "turn-away", http.MethodPost, "/api/v1/arrivals/{name}/turn-away", "Refuse what an arrival sends", v.turnAway, status(http.StatusNoContent))
	operation(v, viewer, "get-enrolment", http.MethodGet, "/api/v1/enrolment", "Whether there is an enrolment key", v.getEnrolment)
	operation(v, owner, "new-enrolment", http.MethodPost, "/api/v1/enrolment", "Make a new enrolment key; it is told once, and the old one ends", v.newEnrolment, status(http.StatusCreated))
	operation(v, owner, "end-enrolment", http.MethodDelete, "/api/v1/enrolment", "End enrolment", v.endEnrolment, status(http.StatusNoContent))

	operation(v, owner, "new-reader-key", http.MethodPost, "/api/v1/reader-key", "Make a new key for reading the site's alarms over MQTT; it is told once, and the old one ends", v.newReaderKey, status(http.StatusCreated))
	operation(v, owner, "end-reader-key", http.MethodDelete, "/api/v1/reader-key", "End the key for reading the site's alarms", v.endReaderKey, status(http.StatusNoContent))

	operation(v, viewer, "list-kits", http.MethodGet, "/api/v1/kits", "All kits", v.listKits)
	operation(v, viewer, "get-kit", http.MethodGet, "/api/v1/kits/{kit}", "One kit", v.getKit)
	operation(v, keeper, "put-kit", http.MethodPut, "/api/v1/kits/{kit}", "Save a kit; what it would change of its devices is offered", v.putKit)
	operation(v, keeper, "kit-from-device", http.MethodPost, "/api/v1/kits/{kit}/from-device", "Save a kit that describes a device as it is", v.kitFromDevice)
	operation(v, keeper, "remove-kit", http.MethodDelete, "/api/v1/kits/{kit}", "Remove a kit; its devices stay as they are", v.removeKit, status(http.StatusNoContent))
	operation(v, viewer, "kit-changes", http.MethodGet, "/api/v1/kits/{kit}/changes", "What applying a kit would change", v.kitChanges)
	operation(v, keeper, "apply-kit", http.MethodPost, "/api/v1/kits/{kit}/apply", "Make devices what their kit says", v.applyKit)

	operation(v, viewer, "list-signals", http.MethodGet, "/api/v1/signals", "All signals with their newest readings", v.listSignals)
	operation(v, viewer, "list-sparks", http.MethodGet, "/api/v1/sparks", "The last day of every signal in few columns", v.listSparks, long)
	operation(v, viewer, "get-signal", http.MethodGet, "/api/v1/signals/{device}/{signal}", "One signal", v.getSignal)
	operation(v, keeper, "set-signal", http.MethodPatch, "/api/v1/signals/{device}/{signal}", "Say what a signal is called, its unit, span, step, bands and interval", v.setSignal)
	operation(v, keeper, "make-switch", http.MethodPost, "/api/v1/signals/{device}/{signal}/switch", "Make a signal of numbers that are only ever 0 and 1 a switch, its readings with it", v.makeSwitch)
	operation(v, viewer, "list-readings", http.MethodGet, "/api/v1/signals/{device}/{signal}/readings", "Readings of a stretch, in order of time", v.listReadings, long)
	operation(v, viewer, "get-line", http.MethodGet, "/api/v1/signals/{device}/{signal}/line", "A stretch reduced to what a chart of so many columns can show", v.getLine, long)

	operation(v, viewer, "list-lines", http.MethodGet, "/api/v1/lines", "The lines of several signals over one stretch, with their gaps and marks", v.listLines, long)
	operation(v, viewer, "list-tails", http.MethodGet, "/api/v1/tails", "What came of several signals since: the live end of their lines", v.listTails)
	operation(v, viewer, "list-states", http.MethodGet, "/api/v1/signals/{device}/{signal}/states", "The states of a stretch, off and on or bands, with how long each lasted", v.listStates, long)
	operation(v, viewer, "get-spread", http.MethodGet, "/api/v1/signals/{device}/{signal}/spread", "How often each value came in a stretch, and how values go over the day", v.getSpread, long)
	operation(v, viewer, "list-figures", http.MethodGet, "/api/v1/signals/{device}/{signal}/figures", "Figures of a stretch by period: lowest, highest, both means", v.listFigures, long)

	operation(v, viewer, "get-trust", http.MethodGet, "/api/v1/signals/{device}/{signal}/trust", "How a signal was calibrated and verified, and when it is due", v.getTrust, long)
	operation(v, keeper, "try-calibration", http.MethodPost, "/api/v1/signals/{device}/{signal}/calibrations/try", "Fit a calibration, and tell what it would do to the last day", v.tryCalibration, long)
	operation(v, keeper, "calibrate", http.MethodPost, "/api/v1/signals/{device}/{signal}/calibrations", "Put a calibration in force; raw values stay", v.calibrate, status(http.StatusCreated))
	operation(v, keeper, "take-calibration-back", http.MethodDelete, "/api/v1/signals/{device}/{signal}/calibrations/{id}", "Take a calibration back", v.uncalibrate, status(http.StatusNoContent))
	operation(v, keeper, "bring-calibration-back", http.MethodPost, "/api/v1/signals/{device}/{signal}/calibrations/{id}/bring-back", "Put a calibration in force again that was taken back in the last 30 days", v.bringCalibrationBack, status(http.StatusNoContent))
	operation(v, viewer, "get-steady", http.MethodGet, "/api/v1/signals/{device}/{signal}/steady", "The mean of the last seconds, for who holds a reference beside it", v.getSteady)
	operation(v, keeper, "verify", http.MethodPost, "/api/v1/signals/{device}/{signal}/verifications", "Check what a signal shows against a reference, and keep what came of it", v.verify, status(http.StatusCreated))
	operation(v, keeper, "plan-verification", http.MethodPut, "/api/v1/signals/{device}/{signal}/verification-plan", "Say how often a signal is to be verified", v.planVerification)
	operation(v, viewer, "list-doubts", http.MethodGet, "/api/v1/signals/{device}/{signal}/doubts", "Stretches whose readings are of no use", v.listDoubts, long)
	operation(v, viewer, "get-work", http.MethodGet, "/api/v1/signals/{device}/{signal}/work", "What is still to be computed anew of a signal and what is derived from it", v.getWork)
	operation(v, viewer, "compare-signals", http.MethodGet, "/api/v1/compare", "How far two signals that measure the same thing agree", v.compare, long)

	operation(v, viewer, "list-recipe-kinds", http.MethodGet, "/api/v1/recipe-kinds", "What can be derived, from what", v.listRecipeKinds)
	operation(v, viewer, "get-recipe", http.MethodGet, "/api/v1/signals/{device}/{signal}/recipe", "What a signal is computed from, and what is computed from it", v.getRecipe)
	operation(v, keeper, "put-recipe", http.MethodPut, "/api/v1/signals/{device}/{signal}/recipe", "Declare a derived signal, or change how it is computed", v.putRecipe)
	operation(v, keeper, "remove-signal", http.MethodDelete, "/api/v1/signals/{device}/{signal}", "Remove a derived signal", v.removeSignal, status(http.StatusNoContent))
	operation(v, keeper, "power-on", http.MethodPost, "/api/v1/devices/{device}/power-on", "Say when a device got power: its sensors warm up from then on", v.powerOn, status(http.StatusNoContent))

	operation(v, viewer, "list-totals", http.MethodGet, "/api/v1/totals", "All totals, with what they come to today, this month and since the last reset", v.listTotals, long)
	operation(v, keeper, "add-total", http.MethodPost, "/api/v1/totals", "Add a total", v.addTotal, status(http.StatusCreated))
	operation(v, viewer, "get-total", http.MethodGet, "/api/v1/totals/{total}", "What a total comes to by day, week or month, and between its resets", v.getTotal, long)
	operation(v, keeper, "remove-total", http.MethodDelete, "/api/v1/totals/{total}", "Remove a total; the readings stay", v.removeTotal, status(http.StatusNoContent))
	operation(v, keeper, "reset-total", http.MethodPost, "/api/v1/totals/{total}/resets", "Let a total count anew; what it came to is kept", v.resetTotal, status(http.StatusCreated))
	operation(v, keeper, "undo-reset", http.MethodPost, "/api/v1/totals/{total}/resets/undo", "Undo the newest reset of a total", v.undoReset)
	operation(v, viewer, "list-tariffs", http.MethodGet, "/api/v1/tariffs", "All tariffs", v.listTariffs)
	operation(v, keeper, "put-tariff", http.MethodPut, "/api/v1/tariffs/{tariff}", "Save a tariff; costs are added up anew", v.putTariff)
	operation(v, keeper, "remove-tariff", http.MethodDelete, "/api/v1/tariffs/{tariff}", "Remove a tariff that no total uses", v.removeTariff, status(http.StatusNoContent))
	operation(v, viewer, "list-units", http.MethodGet, "/api/v1/units", "All units, with what it takes to convert and show them", v.listUnits)
	operation(v, viewer, "set-own-units", http.MethodPut, "/api/v1/session/units", "Say in which units you see values", v.setUnits)

	operation(v, viewer, "get-storage", http.MethodGet, "/api/v1/storage", "What the history takes up, what it will, and what would shrink it", v.getStorage, long)
	operation(v, keeper, "get-import", http.MethodGet, "/api/v1/imports/{id}", "A file that was brought, and how far its import is", v.getImport)
	operation(v, keeper, "run-import", http.MethodPost, "/api/v1/imports/{id}/run", "Import a file, or try what would happen", v.runImport, status(http.StatusAccepted))
	operation(v, keeper, "end-import", http.MethodDelete, "/api/v1/imports/{id}", "Forget a file that was brought", v.endImport, status(http.StatusNoContent))
	operation(v, viewer, "list-clearings", http.MethodGet, "/api/v1/clearings", "What was cleared, newest first", v.listClearings)
	operation(v, owner, "clear-readings", http.MethodPost, "/api/v1/clearings", "Clear readings of a stretch; they can be put back for 30 days", v.clear, long)
	operation(v, owner, "put-back-readings", http.MethodPost, "/api/v1/clearings/{id}/undo", "Put back what was cleared", v.unclear)

	operation(v, viewer, "list-guards", http.MethodGet, "/api/v1/guards", "All guards", v.listGuards)
	operation(v, keeper, "add-guard", http.MethodPost, "/api/v1/guards", "Add a guard", v.addGuard, status(http.StatusCreated))
	operation(v, keeper, "put-guard", http.MethodPut, "/api/v1/guards/{guard}", "Change a guard", v.putGuard)
	operation(v, keeper, "remove-guard", http.MethodDelete, "/api/v1/guards/{guard}", "Remove a guard; its standing alarm is over", v.removeGuard, status(http.StatusNoContent))

	operation(v, viewer, "list-removed", http.MethodGet, "/api/v1/removed", "What was removed in the last 30 days and can be brought back, newest first", v.listRemoved)
	operation(v, keeper, "bring-back", http.MethodPost, "/api/v1/removed/bring-back", "Bring back what was removed, as it was, with all that went with it", v.bringBack, status(http.StatusNoContent))
	operation(v, keeper, "shelve-guard", http.MethodPut, "/api/v1/guards/{guard}/shelf", "Keep a guard's alarms from being told for a while; what is worse is told", v.shelve)
	operation(v, keeper, "unshelve-guard", http.MethodDelete, "/api/v1/guards/{guard}/shelf", "End a guard's shelving; what stands is told", v.unshelve)
	operation(v, keeper, "guard-out-of-service", http.MethodPut, "/api/v1/guards/{guard}/out-of-service", "Take a guard out of service: it does not look", v.outOfService)
	operation(v, keeper, "guard-in-service", http.MethodDelete, "/api/v1/guards/{guard}/out-of-service", "Put a guard back into service", v.inService)
	operation(v, keeper, "say-missed", http.MethodPost, "/api/v1/guards/{guard}/missed", "Say that a guard raised no alarm where it should have", v.missed, status(http.StatusNoContent))
	operation(v, viewer, "get-record", http.MethodGet, "/api/v1/guards/{guard}/record", "What people made of a guard's alarms", v.getRecord, long)
	operation(v, viewer, "replay", http.MethodPost, "/api/v1/replays", "The alarms that a guard, saved or not, would have raised: one JSON object a line", v.replay, v.linesOfReplay, streamed)
	operation(v, viewer, "get-limits", http.MethodGet, "/api/v1/signals/{device}/{signal}/limits", "How a signal's values are spread, and what limits at their ends would have raised", v.getLimits, long)

	operation(v, viewer, "list-trials", http.MethodGet, "/api/v1/trials", "All trials, newest first", v.listTrials)
	operation(v, keeper, "start-trial", http.MethodPost, "/api/v1/trials", "Start a trial: labelled stretches of a signal, to find a limit", v.startTrial, status(http.StatusCreated))
	operation(v, viewer, "get-trial", http.MethodGet, "/api/v1/trials/{id}", "One trial with its stretches", v.getTrial)
	operation(v, keeper, "remove-trial", http.MethodDelete, "/api/v1/trials/{id}", "Remove a trial; the readings stay", v.removeTrial, status(http.StatusNoContent))
	operation(v, keeper, "mark-trial", http.MethodPost, "/api/v1/trials/{id}/stretches", "Mark a stretch as normal or event, from now on or afterwards", v.markTrial, status(http.StatusCreated))
	operation(v, keeper, "unmark-trial", http.MethodDelete, "/api/v1/trials/{id}/stretches/{stretch}", "Take a stretch out of a trial", v.unmarkTrial, status(http.StatusNoContent))
	operation(v, viewer, "suggest-limit", http.MethodGet, "/api/v1/trials/{id}/suggestion", "The limit that a trial speaks for, with why and how sure", v.suggest, long)
	operation(v, keeper, "accept-trial", http.MethodPost, "/api/v1/trials/{id}/guard", "Make a guard of what a trial suggests", v.acceptTrial, status(http.StatusCreated))

	operation(v, viewer, "list-alarms", http.MethodGet, "/api/v1/alarms", "Alarms, newest first", v.listAlarms)
	operation(v, viewer, "get-alarm", http.MethodGet, "/api/v1/alarms/{id}", "One alarm with its notices and journal", v.getAlarm)
	operation(v, keeper, "acknowledge-alarm", http.MethodPost, "/api/v1/alarms/{id}/acknowledge", "Say that you have it", v.acknowledge)
	operation(v, keeper, "comment-alarm", http.MethodPut, "/api/v1/alarms/{id}/comment", "Say what was the cause of an alarm", v.comment)
	operation(v, keeper, "hand-alarm", http.MethodPost, "/api/v1/alarms/{id}/hand", "Ask somebody else to take an alarm on", v.handOn)
	operation(v, keeper, "reset-alarm", http.MethodPost, "/api/v1/alarms/{id}/reset", "Reset a latched alarm whose cause is gone", v.resetAlarm)
	operation(v, keeper, "mark-alarm", http.MethodPut, "/api/v1/alarms/{id}/mark", "Mark an alarm as real, false or useful", v.markAlarm)
	operation(v, viewer, "alarm-health", http.MethodGet, "/api/v1/alarm-health", "How many alarms people get, beside the figures of EEMUA 191", v.getHealth, long)
	operation(v, viewer, "list-journal", http.MethodGet, "/api/v1/journal", "What happened, newest first", v.listJournal)
	operation(v, keeper, "write-note", http.MethodPost, "/api/v1/journal", "Write a note into the journal: what was done, what was seen; charts show it", v.writeNote, status(http.StatusNoContent))
	operation(v, viewer, "list-notices", http.MethodGet, "/api/v1/notices", "Notices with each attempt to deliver them, newest first", v.listNotices)

	operation(v, keeper, "hand-back-alarm", http.MethodPost, "/api/v1/alarms/{id}/hand-back", "Give an alarm back that somebody has; people are told again", v.handBack)

	operation(v, viewer, "list-contacts", http.MethodGet, "/api/v1/contacts", "All contacts", v.listContacts)
	operation(v, viewer, "get-contact", http.MethodGet, "/api/v1/contacts/{contact}", "One contact", v.getContact)
	operation(v, keeper, "put-contact", http.MethodPut, "/api/v1/contacts/{contact}", "Save a contact; secrets of new webhooks are told once", v.putContact)
	operation(v, keeper, "remove-contact", http.MethodDelete, "/api/v1/contacts/{contact}", "Remove a contact that nothing names", v.removeContact, status(http.StatusNoContent))
	operation(v, keeper, "test-contact", http.MethodPost, "/api/v1/contacts/{contact}/test", "Send a test to a contact now", v.testContact)
	operation(v, viewer, "list-rosters", http.MethodGet, "/api/v1/rosters", "All rosters", v.listRosters)
	operation(v, viewer, "get-roster", http.MethodGet, "/api/v1/rosters/{roster}", "One roster", v.getRoster)
	operation(v, keeper, "put-roster", http.MethodPut, "/api/v1/rosters/{roster}", "Save a roster", v.putRoster)
	operation(v, keeper, "remove-roster", http.MethodDelete, "/api/v1/rosters/{roster}", "Remove a roster that nothing names", v.removeRoster, status(http.StatusNoContent))
	operation(v, viewer, "show-roster-at", http.MethodGet, "/api/v1/rosters/{roster}/plan", "In words: who would be told of an alarm, and when", v.showRosterAt)
	operation(v, viewer, "plan-roster", http.MethodPost, "/api/v1/roster-plans", "In words: who would be told by a roster that is not saved yet", v.planRoster)
	operation(v, viewer, "get-reach", http.MethodGet, "/api/v1/site/reach", "What the site itself tells, and to whom", v.getReach)
	operation(v, owner, "put-reach", http.MethodPut, "/api/v1/site/reach", "Change what the site itself tells, and to whom", v.putReach)
	operation(v, viewer, "list-carriers", http.MethodGet, "/api/v1/carriers", "Whether each carrier is on and works", v.listCarriers)
	operation(v, viewer, "list-placeholders", http.MethodGet, "/api/v1/placeholders", "What templates can say", v.listPlaceholders)
	operation(v, viewer, "preview-notice", http.MethodPost, "/api/v1/previews", "How a notice reads by templates, in every carrier's form", v.previewNotice)
	operation(v, viewer, "get-push-key", http.MethodGet, "/api/v1/push-key", "The site's public key for Web Push", v.getPushKey)
	operation(v, viewer, "switch-push-on", http.MethodPost, "/api/v1/session/push", "Let this browser be told", v.switchPushOn)
	operation(v, viewer, "switch-push-off", http.MethodDelete, "/api/v1/session/push", "Let this browser be told no more", v.switchPushOff)

	operation(v, keeper, "start-drill", http.MethodPost, "/api/v1/guards/{guard}/drills", "Drill a guard: a marked reading goes the whole way to a person", v.startDrill, status(http.StatusCreated))
	operation(v, viewer, "list-drills", http.MethodGet, "/api/v1/drills", "Drills, newest first", v.listDrills)
	operation(v, viewer, "get-drill", http.MethodGet, "/api/v1/drills/{id}", "One drill, with each step and its time", v.getDrill)
	operation(v, keeper, "stop-drill", http.MethodDelete, "/api/v1/drills/{id}", "Stop a drill that nobody has taken", v.stopDrill, status(http.StatusNoContent))

	operation(v, viewer, "list-outputs", http.MethodGet, "/api/v1/outputs", "All outputs: what each is ordered, why, and what its device says", v.listOutputs)
	operation(v, viewer, "get-output", http.MethodGet, "/api/v1/outputs/{device}/{output}", "One output", v.getOutput)
	operation(v, keeper, "put-output", http.MethodPut, "/api/v1/outputs/{device}/{output}", "Save an output of a device", v.putOutput)
	operation(v, keeper, "remove-output", http.MethodDelete, "/api/v1/outputs/{device}/{output}", "Remove an output with its interlocks", v.removeOutput, status(http.StatusNoContent))
	operation(v, keeper, "set-output", http.MethodPut, "/api/v1/outputs/{device}/{output}/hand", "Set an output by hand for a while", v.setOutput)
	operation(v, keeper, "release-output", http.MethodDelete, "/api/v1/outputs/{device}/{output}/hand", "End a setting by hand", v.releaseOutput)
	operation(v, keeper, "reset-output", http.MethodPost, "/api/v1/outputs/{device}/{output}/reset", "Reset all latched interlocks that hold an output, whose causes are gone", v.resetOutput)
	operation(v, keeper, "all-outputs-safe", http.MethodPut, "/api/v1/emergency", "Emergency: put all outputs into their safe states, until that is ended", v.allSafe)
	operation(v, keeper, "end-all-outputs-safe", http.MethodDelete, "/api/v1/emergency", "End an emergency: outputs do again what is asked of them", v.endAllSafe)
	operation(v, viewer, "list-interlocks", http.MethodGet, "/api/v1/interlocks", "All interlocks, with what each asks for", v.listInterlocks)
	operation(v, viewer, "get-interlock", http.MethodGet, "/api/v1/interlocks/{interlock}", "One interlock", v.getInterlock)
	operation(v, keeper, "put-interlock", http.MethodPut, "/api/v1/interlocks/{interlock}", "Save an interlock; it looks at once", v.putInterlock)
	operation(v, keeper, "remove-interlock", http.MethodDelete, "/api/v1/interlocks/{interlock}", "Remove an interlock", v.removeInterlock, status(http.StatusNoContent))
	operation(v, keeper, "reset-interlock", http.MethodPost, "/api/v1/interlocks/{interlock}/reset", "Reset a latched interlock whose cause is gone", v.resetInterlock)
	operation(v, viewer, "try-interlock", http.MethodPost, "/api/v1/interlock-trials", "What an interlock, saved or not, would have done over stored readings", v.tryInterlock, long)

	operation(v, viewer, "list-boards", http.MethodGet, "/api/v1/boards", "All boards that you may look at", v.listBoards)
	operation(v, viewer, "get-board", http.MethodGet, "/api/v1/boards/{board}", "One board", v.getBoard)
	operation(v, keeper, "put-board", http.MethodPut, "/api/v1/boards/{board}", "Save a board and publish it at once", v.putBoard)
	operation(v, keeper, "change-board", http.MethodPatch, "/api/v1/boards/{board}", "Say what a board is called and who sees it", v.changeBoard)
	operation(v, keeper, "copy-board", http.MethodPost, "/api/v1/boards/{board}/copy", "Make a board of your own out of one that is there", v.copyBoard, status(http.StatusCreated))
	operation(v, keeper, "remove-board", http.MethodDelete, "/api/v1/boards/{board}", "Remove a board; it can be brought back for 30 days", v.removeBoard, status(http.StatusNoContent))
	operation(v, keeper, "bring-board-back", http.MethodPost, "/api/v1/boards/{board}/bring-back", "Bring back a board that was removed", v.bringBoardBack)
	operation(v, keeper, "put-draft", http.MethodPut, "/api/v1/boards/{board}/draft", "Keep a changed board without publishing it", v.putDraft)
	operation(v, keeper, "drop-draft", http.MethodDelete, "/api/v1/boards/{board}/draft", "Forget what was changed and not published", v.dropDraft)
	operation(v, keeper, "publish-board", http.MethodPost, "/api/v1/boards/{board}/publish", "Publish the draft of a board", v.publishBoard)
	operation(v, viewer, "list-board-versions", http.MethodGet, "/api/v1/boards/{board}/versions", "What was published of a board, newest first", v.listBoardVersions)
	operation(v, keeper, "take-board-version", http.MethodPost, "/api/v1/boards/{board}/versions/{version}/draft", "Make an older version of a board its draft", v.takeBoardVersion)
	operation(v, viewer, "set-start", http.MethodPut, "/api/v1/session/start", "Say which board you see first", v.setStart)
	operation(v, viewer, "list-pictures", http.MethodGet, "/api/v1/pictures", "All pictures for boards", v.listPictures)
	operation(v, keeper, "add-picture", http.MethodPost, "/api/v1/pictures", "Store a picture for boards: PNG, JPEG, WebP or SVG; it is drawn anew, and made safe", v.addPicture, status(http.StatusCreated), func(op *huma.Operation) { op.MaxBodyBytes = board.MostBytes + 1024 }, brings)
	operation(v, keeper, "remove-picture", http.MethodDelete, "/api/v1/pictures/{id}", "Remove a picture that no board shows", v.removePicture, status(http.StatusNoContent))

	large := func(bytes int64) func(*huma.Operation) {
		return func(op *huma.Operation) { op.MaxBodyBytes = bytes + 1024 }
	}
	operation(v, viewer, "list-assets", http.MethodGet, "/api/v1/assets", "All assets in the order of their tree, with what they read now", v.listAssets)
	operation(v, keeper, "add-asset", http.MethodPost, "/api/v1/assets", "Add an asset", v.addAsset, status(http.StatusCreated))
	operation(v, viewer, "get-asset", http.MethodGet, "/api/v1/assets/{asset}", "One asset: how it does, and what belongs to it", v.getAsset)
	operation(v, keeper, "change-asset", http.MethodPatch, "/api/v1/assets/{asset}", "Change what is said of an asset", v.changeAsset)
	operation(v, keeper, "remove-asset", http.MethodDelete, "/api/v1/assets/{asset}", "Remove an asset; it can be brought back for 30 days", v.removeAsset, status(http.StatusNoContent))
	operation(v, keeper, "bring-asset-back", http.MethodPost, "/api/v1/assets/{asset}/bring-back", "Bring back an asset that was removed", v.bringAssetBack)
	operation(v, keeper, "set-condition", http.MethodPut, "/api/v1/assets/{asset}/condition", "Say how an asset is, and why", v.setCondition)
	operation(v, viewer, "list-asset-journal", http.MethodGet, "/api/v1/assets/{asset}/journal", "What happened to an asset and what belongs to it, newest first", v.listAssetJournal)
	operation(v, keeper, "add-photo", http.MethodPost, "/api/v1/assets/{asset}/photos", "Store a photo of an asset: PNG, JPEG or WebP; it is turned, scaled, and drawn anew without the place where it was taken", v.addPhoto, status(http.StatusCreated), large(board.MostBytes), brings)
	operation(v, keeper, "add-paper", http.MethodPost, "/api/v1/assets/{asset}/papers", "Store a paper of an asset: PDF", v.addPaper, status(http.StatusCreated), large(asset.MostPaper))
	operation(v, keeper, "remove-attachment", http.MethodDelete, "/api/v1/assets/{asset}/attachments/{id}", "Remove a photo or a paper of an asset", v.removeAttachment, status(http.StatusNoContent))
	operation(v, keeper, "guard-asset", http.MethodPut, "/api/v1/assets/{asset}/guard", "Put an asset under guard: which signal, how often, which limits, who is told; or say what that would be", v.guardAsset)

	operation(v, viewer, "get-eye", http.MethodGet, "/api/v1/devices/{device}/eye", "How the frames of a device are read", v.getEye)
	operation(v, keeper, "put-eye", http.MethodPut, "/api/v1/devices/{device}/eye", "Say how the frames of a device are read; new regions tell of the newest 10,000 frames too", v.putEye)
	operation(v, viewer, "list-frames", http.MethodGet, "/api/v1/devices/{device}/frames", "The frames of a stretch, without their temperatures", v.listFrames, long)
	operation(v, viewer, "list-palettes", http.MethodGet, "/api/v1/palettes", "The palettes that frames are coloured by", v.listPalettes)

	operation(v, viewer, "list-runs", http.MethodGet, "/api/v1/runs", "Runs, newest first", v.listRuns)
	operation(v, keeper, "start-run", http.MethodPost, "/api/v1/runs", "Start a run of an asset, or add one that is over", v.startRun, status(http.StatusCreated))
	operation(v, viewer, "get-run", http.MethodGet, "/api/v1/runs/{id}", "One run: what it came to, and when it will reach its goals", v.getRun, long)
	operation(v, keeper, "change-run", http.MethodPatch, "/api/v1/runs/{id}", "Change a run: title, times, goals, phases, note", v.changeRun)
	operation(v, keeper, "stop-run", http.MethodPost, "/api/v1/runs/{id}/stop", "End a run", v.stopRun)
	operation(v, keeper, "mark-phase", http.MethodPost, "/api/v1/runs/{id}/phases", "Begin a phase of a run", v.markPhase)
	operation(v, keeper, "remove-run", http.MethodDelete, "/api/v1/runs/{id}", "Remove a run; the readings stay", v.removeRun, status(http.StatusNoContent))
	operation(v, viewer, "compare-runs", http.MethodGet, "/api/v1/run-comparison", "Runs laid over each other from their starts", v.compareRuns, long)
	operation(v, viewer, "list-plans", http.MethodGet, "/api/v1/run-plans", "Plans that start and end runs by themselves", v.listPlans)
	operation(v, keeper, "put-plan", http.MethodPut, "/api/v1/run-plans/{plan}", "Save a plan", v.putPlan)
	operation(v, keeper, "remove-plan", http.MethodDelete, "/api/v1/run-plans/{plan}", "Remove a plan; its runs stay", v.removePlan, status(http.StatusNoContent))

	operation(v, viewer, "list-statements", http.MethodGet, "/api/v1/statements", "All statements", v.listStatements)
	operation(v, keeper, "put-statement", http.MethodPut, "/api/v1/statements/{statement}", "Save a statement", v.putStatement)
	operation(v, keeper, "remove-statement", http.MethodDelete, "/api/v1/statements/{statement}", "Remove a statement", v.removeStatement, status(http.StatusNoContent))
	operation(v, viewer, "get-statement-sheet", http.MethodGet, "/api/v1/statements/{statement}/sheet", "What a statement says of a period", v.getStatementSheet, long)
	operation(v, keeper, "send-statement", http.MethodPost, "/api/v1/statements/{statement}/send", "Send a statement now", v.sendStatement)

	operation(v, viewer, "get-stand-in-inbox", http.MethodGet, "/api/v1/standin/inbox", "What the stand-ins received, oldest first", v.standinInbox)
	operation(v, viewer, "get-stand-in-message", http.MethodGet, "/api/v1/standin/inbox/{id}", "One message that a stand-in received, with its page and picture", v.standinMessage)
	operation(v, keeper, "reply-to-stand-in", http.MethodPost, "/api/v1/standin/inbox/{id}/reply", "Answer a message as its reader would", v.standinReply, status(http.StatusNoContent))
	operation(v, viewer, "get-stand-in-faults", http.MethodGet, "/api/v1/standin/faults", "How the stand-ins fail", v.standinFaults)
	operation(v, keeper, "set-stand-in-fault", http.MethodPut, "/api/v1/standin/faults/{carrier}", "Tell a stand-in to fail, or to work", v.standinFail)
	v.describeByHand()
}

// describeByHand adds the ways that are not plain operations to the API's description.
func (v *Server) describeByHand() {
	text := func(s string) map[string]*huma.MediaType {
		return map[string]*huma.MediaType{"application/problem+json": {Schema: &huma.Schema{Type: "object", Description: s}}}
	}
	readings := map[string]*huma.MediaType{
		"application/senml+json": {Schema: &huma.Schema{Type: "array", Items: &huma.Schema{Type: "object"}, Description: "SenML pack, RFC 8428"},
			Example: []any{map[string]any{"bn": "greenhouse-door/", "n": "temp", "u": "Cel", "v": 21.5}}},
		"application/json": {Schema: &huma.Schema{Description: "an object of signal names and values, with at for the time, or an array of such"},
			Example: map[string]any{"temp": 21.5, "door": true, "at": "2026-03-01T14:05:00Z"}},
		"application/senml+cbor": {Schema: &huma.Schema{Type: "string", Format: "binary", Description: "SenML pack in CBOR, RFC 8428 section 6"}},
		"text/csv":               {Schema: &huma.Schema{Type: "string", Description: "lines under the header at,signal,value, and optionally unit and text"}, Example: "at,signal,value\n2026-03-01T14:05:00Z,temp,21.5\n"},
	}
	device := &huma.Param{Name: "Jaunty-Device", In: "header", Description: "the device's name: needed with the enrolment key; with a gateway's key, a device behind it", Schema: &huma.Schema{Type: "string"}}
	v.api.OpenAPI().AddOperation(&huma.Operation{
		OperationID: "send-readings", Method: http.MethodPost, Path: "/api/v1/intake", Summary: "Send readings",
		Description: "A device sends with its key, a person of role keeper with a token. The answer comes after the commit.",
		Security:    []map[string][]string{{"key": {}}, {"token": {}}},
		Parameters: []*huma.Param{{Name: "Idempotency-Key", In: "header", Description: "kept for a day: the same key again gets the same answer and stores nothing", Schema: &huma.Schema{Type: "string"}}, device,
			{Name: "Content-Encoding", In: "header", Description: "gzip, when the body is packed", Schema: &huma.Schema{Type: "string"}}},
		RequestBody: &huma.RequestBody{Required: true, Content: readings},
		Responses: map[string]*huma.Response{
			"204": {Description: "all taken and committed, or held before"},
			"200": {Description: "some taken", Content: map[string]*huma.MediaType{"application/json": {Schema: refusalsSchema()}}},
			"202": {Description: "nobody knows the device yet; what it sent is kept until it is let in"},
			"400": {Description: "the body is not what its content type says", Content: text("RFC 9457")},
			"403": {Description: "the device was turned away, or has a key of its own", Content: text("RFC 9457")},
			"429": {Description: "too fast, or too many unknown keys; Retry-After says when to send again", Content: text("RFC 9457")},
			"401": {Description: "the key is not known", Content: text("RFC 9457")},
			"413": {Description: "too long", Content: text("RFC 9457")},
			"415": {Description: "a content type that is not read", Content: text("RFC 9457")},
			"422": {Description: "none taken; rejected says why", Content: text("RFC 9457 with rejected")},
			"503": {Description: "the database is away; Retry-After says when to send again", Content: text("RFC 9457")},
		},
	})
	v.describeOrders(device, text)
	v.describeOutputReports(device, text)
	v.describeExport()
	v.describeSheet()
	v.describePictures()
	v.describeFiles()
	v.api.OpenAPI().AddOperation(&huma.Operation{
		OperationID: "watch-live", Method: http.MethodGet, Path: "/api/v1/live", Summary: "Changes as server-sent events",
		Description: "Takes the role viewer. Events: change (a Change; its id is the commit's number) and beat (the time, and whether the database is away, every 5 s). Last-Event-ID, or the query since, resumes without a gap.",
		Security:    []map[string][]string{{"token": {}}, {"session": {}}},
		Parameters: []*huma.Param{{Name: "Last-Event-ID", In: "header", Schema: &huma.Schema{Type: "integer"}},
			{Name: "since", In: "query", Description: "in place of the header, for who cannot set it", Schema: &huma.Schema{Type: "integer"}}},
		Responses: map[string]*huma.Response{"200": {Description: "the stream", Content: map[string]*huma.MediaType{
			"text/event-stream": {Schema: v.api.OpenAPI().Components.Schemas.Schema(typeOfChange, true, "Change")}}}},
	})
}

// describeOrders describes what devices ask for and confirm.
func (v *Server) describeOrders(device *huma.Param, text func(string) map[string]*huma.MediaType) {
	schemas := v.api.OpenAPI().Components.Schemas
	key := []map[string][]string{{"key": {}}}
	v.api.OpenAPI().AddOperation(&huma.Operation{
		OperationID: "get-orders", Method: http.MethodGet, Path: "/api/v1/intake/orders", Summary: "What a device is ordered to do",
		Description: "Answers when something is newer than what the device says that it knows, at once or within the wait. A device with outputs says the newest order that it knows; it is answered with all of them after half of the time for which the shortest holds, which renews them.", Security: key,
		Parameters: []*huma.Param{device,
			{Name: "wait", In: "query", Description: "how long to wait for a newer order, up to 2m", Schema: &huma.Schema{Type: "string"}, Example: "30s"},
			{Name: "running", In: "query", Description: "the version that the device runs; saying it confirms it", Schema: &huma.Schema{Type: "integer"}},
			{Name: "outputs", In: "query", Description: "the number of the newest order for an output that the device knows, 0 for none; left out, it hears nothing of outputs", Schema: &huma.Schema{Type: "integer"}}},
		Responses: map[string]*huma.Response{
			"200": {Description: "the newest order", Content: map[string]*huma.MediaType{"application/json": {Schema: schemas.Schema(reflect.TypeFor[httpin.ToDevice](), true, "ToDevice")}}},
			"204": {Description: "no newer order came"}, "401": {Description: "the key is not known", Content: text("RFC 9457")},
		},
	})
	v.api.OpenAPI().AddOperation(&huma.Operation{
		OperationID: "confirm-orders", Method: http.MethodPut, Path: "/api/v1/intake/orders", Summary: "Say what a device runs", Security: key, Parameters: []*huma.Param{device},
		RequestBody: &huma.RequestBody{Required: true, Content: map[string]*huma.MediaType{"application/json": {Schema: schemas.Schema(reflect.TypeFor[site.Report](), true, "Report")}}},
		Responses:   map[string]*huma.Response{"204": {Description: "noted"}, "401": {Description: "the key is not known", Content: text("RFC 9457")}, "422": {Description: "a version that was never ordered", Content: text("RFC 9457")}},
	})
}

// describeOutputReports describes how devices confirm what their outputs do.
func (v *Server) describeOutputReports(device *huma.Param, text func(string) map[string]*huma.MediaType) {
	schemas := v.api.OpenAPI().Components.Schemas
	v.api.OpenAPI().AddOperation(&huma.Operation{
		OperationID: "confirm-output", Method: http.MethodPut, Path: "/api/v1/intake/outputs/{output}", Summary: "Say what an output does",
		Description: "After each order that the device gets, renewals too. The body may be the word alone.", Security: []map[string][]string{{"key": {}}},
		Parameters:  []*huma.Param{device, {Name: "output", In: "path", Required: true, Schema: &huma.Schema{Type: "string"}}},
		RequestBody: &huma.RequestBody{Required: true, Content: map[string]*huma.MediaType{"application/json": {Schema: schemas.Schema(reflect.TypeFor[drive.OutputReport](), true, "OutputReport")}}},
		Responses:   map[string]*huma.Response{"204": {Description: "noted"}, "401": {Description: "the key is not known", Content: text("RFC 9457")}, "422": {Description: "no such output, or no word of it", Content: text("RFC 9457")}},
	})
}

// linesOfReplay describes the lines in which a replay answers.
func (v *Server) linesOfReplay(op *huma.Operation) {
	op.Responses = map[string]*huma.Response{"200": {Description: "lines, the last of which has the summary", Content: map[string]*huma.MediaType{
		"application/x-ndjson": {Schema: v.api.OpenAPI().Components.Schemas.Schema(reflect.TypeFor[ReplayLine](), true, "ReplayLine")}}}}
}

func refusalsSchema() *huma.Schema {
	number := &huma.Schema{Type: "integer"}
	text := &huma.Schema{Type: "string"}
	return &huma.Schema{Type: "object", Properties: map[string]*huma.Schema{
		"accepted": number,
		"rejected": {Type: "array", Items: &huma.Schema{Type: "object", Properties: map[string]*huma.Schema{"index": number, "signal": text, "field": text, "reason": text}}},
	}}
}
