package server

import (
	"context"
	"errors"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"

	"jauntylark/api"
	"jauntylark/intake/httpin"
)

// serve has an operation answered by a function.
func serve[In, Out any](v *Server, op api.Op[In, Out], do func(context.Context, *In) (Out, error)) {
	serveAs(v, op, func(ctx context.Context, in *In) (*api.Body[Out], error) {
		out, err := do(ctx, in)
		return &api.Body[Out]{Body: out}, err
	})
}

// carry has an operation done that answers nothing.
func carry[In any](v *Server, op api.Op[In, api.None], do func(context.Context, *In) error) {
	serveAs(v, op, func(ctx context.Context, in *In) (*api.None, error) { return &api.None{}, do(ctx, in) })
}

// serveAs has an operation answered in a form of its own, with headers or as a stream.
func serveAs[In, Out, Form any](v *Server, op api.Op[In, Out], do func(context.Context, *In) (*Form, error)) {
	v.served[op.Operation] = true
	huma.Register(v.api, op.Describe(v.api.OpenAPI().Components.Schemas), func(ctx context.Context, in *In) (*Form, error) {
		out, err := do(ctx, in)
		if err != nil {
			return nil, v.problem(err)
		}
		return out, nil
	})
}

// routes has each operation answered.
func (v *Server) routes() {
	serveAs(v, api.SignIn, v.signIn)
	serve(v, api.GetSession, v.session)
	serveAs(v, api.SignOut, v.signOut)
	serve(v, api.CreateToken, v.createToken)

	serve(v, api.GetSite, v.getSite)
	serve(v, api.PutSite, v.putSite)

	serve(v, api.ListPeople, v.listPeople)
	serve(v, api.AddPerson, v.addPerson)
	serve(v, api.SetRole, v.setRole)
	carry(v, api.RemovePerson, v.removePerson)

	serve(v, api.ListDevices, v.listDevices)
	serve(v, api.AddDevice, v.addDevice)
	serve(v, api.GetDevice, v.getDevice)
	serve(v, api.SetDevice, v.setDevice)
	carry(v, api.RemoveDevice, v.removeDevice)
	serve(v, api.GetCode, v.getCode)
	serve(v, api.OrderSettings, v.orderSettings)
	serve(v, api.ListKeys, v.listKeys)
	serve(v, api.RotateKey, v.rotateKey)
	carry(v, api.RevokeKey, v.revokeKey)

	serve(v, api.ListArrivals, v.listArrivals)
	serve(v, api.LetIn, v.letDeviceIn)
	carry(v, api.TurnAway, v.turnAway)
	serve(v, api.GetEnrolment, v.getEnrolment)
	serve(v, api.NewEnrolment, v.newEnrolment)
	carry(v, api.EndEnrolment, v.endEnrolment)

	serve(v, api.NewReaderKey, v.newReaderKey)
	carry(v, api.EndReaderKey, v.endReaderKey)

	serve(v, api.ListKits, v.listKits)
	serve(v, api.GetKit, v.getKit)
	serve(v, api.PutKit, v.putKit)
	serve(v, api.KitFromDevice, v.kitFromDevice)
	carry(v, api.RemoveKit, v.removeKit)
	serve(v, api.KitChanges, v.kitChanges)
	serve(v, api.ApplyKit, v.applyKit)

	serve(v, api.ListSignals, v.listSignals)
	serve(v, api.ListSparks, v.listSparks)
	serve(v, api.GetSignal, v.getSignal)
	serve(v, api.SetSignal, v.setSignal)
	serve(v, api.MakeSwitch, v.makeSwitch)
	serve(v, api.ListReadings, v.listReadings)
	serve(v, api.GetLine, v.getLine)

	serve(v, api.ListLines, v.listLines)
	serve(v, api.ListTails, v.listTails)
	serve(v, api.ListStates, v.listStates)
	serve(v, api.GetSpread, v.getSpread)
	serve(v, api.ListFigures, v.listFigures)

	serve(v, api.GetTrust, v.getTrust)
	serve(v, api.TryCalibration, v.tryCalibration)
	serve(v, api.Calibrate, v.calibrate)
	carry(v, api.TakeCalibrationBack, v.uncalibrate)
	carry(v, api.BringCalibrationBack, v.bringCalibrationBack)
	serve(v, api.GetSteady, v.getSteady)
	serve(v, api.Verify, v.verify)
	serve(v, api.PlanVerification, v.planVerification)
	serve(v, api.ListDoubts, v.listDoubts)
	serve(v, api.GetWork, v.getWork)
	serve(v, api.CompareSignals, v.compare)

	serve(v, api.ListRecipeKinds, v.listRecipeKinds)
	serve(v, api.GetRecipe, v.getRecipe)
	serve(v, api.PutRecipe, v.putRecipe)
	carry(v, api.RemoveSignal, v.removeSignal)
	carry(v, api.PowerOn, v.powerOn)

	serve(v, api.ListTotals, v.listTotals)
	serve(v, api.AddTotal, v.addTotal)
	serve(v, api.GetTotal, v.getTotal)
	carry(v, api.RemoveTotal, v.removeTotal)
	serve(v, api.ResetTotal, v.resetTotal)
	serve(v, api.UndoReset, v.undoReset)
	serve(v, api.ListTariffs, v.listTariffs)
	serve(v, api.PutTariff, v.putTariff)
	carry(v, api.RemoveTariff, v.removeTariff)
	serve(v, api.ListUnits, v.listUnits)
	serve(v, api.SetOwnUnits, v.setUnits)

	serve(v, api.GetStorage, v.getStorage)
	serve(v, api.GetImport, v.getImport)
	serve(v, api.RunImport, v.runImport)
	carry(v, api.EndImport, v.endImport)
	serve(v, api.ListClearings, v.listClearings)
	serve(v, api.ClearReadings, v.clear)
	serve(v, api.PutBackReadings, v.unclear)

	serve(v, api.ListGuards, v.listGuards)
	serve(v, api.AddGuard, v.addGuard)
	serve(v, api.PutGuard, v.putGuard)
	carry(v, api.RemoveGuard, v.removeGuard)

	serve(v, api.ListRemoved, v.listRemoved)
	carry(v, api.BringBack, v.bringBack)
	serve(v, api.ShelveGuard, v.shelve)
	serve(v, api.UnshelveGuard, v.unshelve)
	serve(v, api.GuardOutOfService, v.outOfService)
	serve(v, api.GuardInService, v.inService)
	carry(v, api.SayMissed, v.missed)
	serve(v, api.GetRecord, v.getRecord)
	serveAs(v, api.Replay, v.replay)
	serve(v, api.GetLimits, v.getLimits)

	serve(v, api.ListTrials, v.listTrials)
	serve(v, api.StartTrial, v.startTrial)
	serve(v, api.GetTrial, v.getTrial)
	carry(v, api.RemoveTrial, v.removeTrial)
	serve(v, api.MarkTrial, v.markTrial)
	carry(v, api.UnmarkTrial, v.unmarkTrial)
	serve(v, api.SuggestLimit, v.suggest)
	serve(v, api.AcceptTrial, v.acceptTrial)

	serve(v, api.ListAlarms, v.listAlarms)
	serve(v, api.GetAlarm, v.getAlarm)
	serve(v, api.AcknowledgeAlarm, v.acknowledge)
	serve(v, api.CommentAlarm, v.comment)
	serve(v, api.HandAlarm, v.handOn)
	serve(v, api.ResetAlarm, v.resetAlarm)
	serve(v, api.MarkAlarm, v.markAlarm)
	serve(v, api.AlarmHealth, v.getHealth)
	serve(v, api.ListJournal, v.listJournal)
	carry(v, api.WriteNote, v.writeNote)
	serve(v, api.ListNotices, v.listNotices)

	serve(v, api.HandBackAlarm, v.handBack)

	serve(v, api.ListContacts, v.listContacts)
	serve(v, api.GetContact, v.getContact)
	serve(v, api.PutContact, v.putContact)
	carry(v, api.RemoveContact, v.removeContact)
	serve(v, api.TestContact, v.testContact)
	serve(v, api.ListRosters, v.listRosters)
	serve(v, api.GetRoster, v.getRoster)
	serve(v, api.PutRoster, v.putRoster)
	carry(v, api.RemoveRoster, v.removeRoster)
	serve(v, api.ShowRosterAt, v.showRosterAt)
	serve(v, api.PlanRoster, v.planRoster)
	serve(v, api.GetReach, v.getReach)
	serve(v, api.PutReach, v.putReach)
	serve(v, api.ListCarriers, v.listCarriers)
	serve(v, api.ListPlaceholders, v.listPlaceholders)
	serve(v, api.PreviewNotice, v.previewNotice)
	serve(v, api.GetPushKey, v.getPushKey)
	serve(v, api.SwitchPushOn, v.switchPushOn)
	serve(v, api.SwitchPushOff, v.switchPushOff)

	serve(v, api.StartDrill, v.startDrill)
	serve(v, api.ListDrills, v.listDrills)
	serve(v, api.GetDrill, v.getDrill)
	carry(v, api.StopDrill, v.stopDrill)

	serve(v, api.ListOutputs, v.listOutputs)
	serve(v, api.GetOutput, v.getOutput)
	serve(v, api.PutOutput, v.putOutput)
	carry(v, api.RemoveOutput, v.removeOutput)
	serve(v, api.SetOutput, v.setOutput)
	serve(v, api.ReleaseOutput, v.releaseOutput)
	serve(v, api.ResetOutput, v.resetOutput)
	serve(v, api.AllOutputsSafe, v.allSafe)
	serve(v, api.EndAllOutputsSafe, v.endAllSafe)
	serve(v, api.ListInterlocks, v.listInterlocks)
	serve(v, api.GetInterlock, v.getInterlock)
	serve(v, api.PutInterlock, v.putInterlock)
	carry(v, api.RemoveInterlock, v.removeInterlock)
	serve(v, api.ResetInterlock, v.resetInterlock)
	serve(v, api.TryInterlock, v.tryInterlock)

	serve(v, api.ListBoards, v.listBoards)
	serve(v, api.GetBoard, v.getBoard)
	serve(v, api.PutBoard, v.putBoard)
	serve(v, api.ChangeBoard, v.changeBoard)
	serve(v, api.CopyBoard, v.copyBoard)
	carry(v, api.RemoveBoard, v.removeBoard)
	serve(v, api.BringBoardBack, v.bringBoardBack)
	serve(v, api.PutDraft, v.putDraft)
	serve(v, api.DropDraft, v.dropDraft)
	serve(v, api.PublishBoard, v.publishBoard)
	serve(v, api.ListBoardVersions, v.listBoardVersions)
	serve(v, api.TakeBoardVersion, v.takeBoardVersion)
	serve(v, api.SetStart, v.setStart)
	serve(v, api.ListPictures, v.listPictures)
	serve(v, api.AddPicture, v.addPicture)
	carry(v, api.RemovePicture, v.removePicture)

	serve(v, api.ListAssets, v.listAssets)
	serve(v, api.AddAsset, v.addAsset)
	serve(v, api.GetAsset, v.getAsset)
	serve(v, api.ChangeAsset, v.changeAsset)
	carry(v, api.RemoveAsset, v.removeAsset)
	serve(v, api.BringAssetBack, v.bringAssetBack)
	serve(v, api.SetCondition, v.setCondition)
	serve(v, api.ListAssetJournal, v.listAssetJournal)
	serve(v, api.AddPhoto, v.addPhoto)
	serve(v, api.AddPaper, v.addPaper)
	carry(v, api.RemoveAttachment, v.removeAttachment)
	serve(v, api.GuardAsset, v.guardAsset)

	serve(v, api.GetEye, v.getEye)
	serve(v, api.PutEye, v.putEye)
	serve(v, api.ListFrames, v.listFrames)
	serve(v, api.ListPalettes, v.listPalettes)

	serve(v, api.ListRuns, v.listRuns)
	serve(v, api.StartRun, v.startRun)
	serve(v, api.GetRun, v.getRun)
	serve(v, api.ChangeRun, v.changeRun)
	serve(v, api.StopRun, v.stopRun)
	serve(v, api.MarkPhase, v.markPhase)
	carry(v, api.RemoveRun, v.removeRun)
	serve(v, api.CompareRuns, v.compareRuns)
	serve(v, api.ListPlans, v.listPlans)
	serve(v, api.PutPlan, v.putPlan)
	carry(v, api.RemovePlan, v.removePlan)

	serve(v, api.ListStatements, v.listStatements)
	serve(v, api.PutStatement, v.putStatement)
	carry(v, api.RemoveStatement, v.removeStatement)
	serve(v, api.GetStatementSheet, v.getStatementSheet)
	serve(v, api.SendStatement, v.sendStatement)

	serve(v, api.GetStandInInbox, v.standinInbox)
	serve(v, api.GetStandInMessage, v.standinMessage)
	carry(v, api.ReplyToStandIn, v.standinReply)
	serve(v, api.GetStandInFaults, v.standinFaults)
	serve(v, api.SetStandInFault, v.standinFail)
}

// fileRoutes has the operations answered whose bodies or answers are no JSON.
func (v *Server) fileRoutes(way *httpin.Way) {
	for _, r := range []struct {
		op *api.Operation
		do echo.HandlerFunc
	}{
		{api.SendReadings.Operation, way.Receive},
		{api.SendFrame.Operation, way.ReceiveFrame},
		{api.GetOrders.Operation, way.Orders},
		{api.ConfirmOrders.Operation, way.Confirm},
		{api.ConfirmOutput.Operation, way.ConfirmOutput},
		{api.ExportReadings.Operation, v.serveExport},
		{api.GetSheet.Operation, v.serveSheet},
		{api.BringImport.Operation, v.serveImport},
		{api.GetArchive.Operation, v.serveArchive},
		{api.PutArchive.Operation, v.takeArchive},
		{api.WatchLive.Operation, v.serveLive},
		{api.GetPicture.Operation, v.servePicture},
		{api.GetStatementPage.Operation, v.serveStatement},
		{api.GetAttachment.Operation, v.serveAttachment},
		{api.GetLabel.Operation, v.serveLabel},
		{api.GetLabelPicture.Operation, v.serveLabel},
		{api.GetLabels.Operation, v.serveLabels},
		{api.GetFrame.Operation, v.serveFrame},
		{api.GetStrip.Operation, v.serveStrip},
		{api.GetRunReport.Operation, v.serveRunReport},
		{api.CallBack.Operation, v.serveCallback},
	} {
		v.serveFile(r.op, r.do)
	}
}

// serveFile has an operation answered by a handler of its own, which finds its person and its time as others do.
func (v *Server) serveFile(op *api.Operation, do echo.HandlerFunc) {
	d := op.Describe(v.api.OpenAPI().Components.Schemas)
	v.api.OpenAPI().AddOperation(&d)
	v.served[op] = true
	v.echo.Add(op.Method, pathParameters.Replace(d.Path), func(c *echo.Context) error {
		err := v.operateFile(op, c, do)
		var own *echo.HTTPError
		if err == nil || errors.As(err, &own) || errors.Is(err, echo.ErrNotFound) {
			return err
		}
		return v.answerProblem(c, v.problem(err))
	})
}

// operateFile runs a handler for a person who has the role, in its turn. Devices say who they are to the handler.
func (v *Server) operateFile(op *api.Operation, c *echo.Context, do echo.HandlerFunc) error {
	if op.Role == "" || op.Keyed {
		return do(c)
	}
	person, err := v.whoMay(c.Request().Context(), tokenOf(c.Request()), op.Role)
	if err != nil {
		return err
	}
	ctx, done, err := v.turn(context.WithValue(c.Request().Context(), personKey, person), op, person)
	if err != nil {
		return err
	}
	defer done()
	c.SetRequest(c.Request().WithContext(ctx))
	return do(c)
}
