package place

import (
	"context"
	"errors"

	"jauntylark/api"
	"jauntylark/core/drive"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/evidence"
	"jauntylark/server/web"
	"jauntylark/store"
	"jauntylark/store/config"
)

// outputsOperations has the operations of this file answered.
func outputsOperations(v *web.Server) {
	web.Answer(v, api.ListOutputs, listOutputs)
	web.Keep(v, api.GetOutput, getOutput, api.PutOutput, putOutput, api.PatchOutput)
	web.Carry(v, api.RemoveOutput, removeOutput)
	web.Answer(v, api.SetOutput, setOutput)
	web.Answer(v, api.ReleaseOutput, releaseOutput)
	web.Answer(v, api.ResetOutput, resetOutput)
	web.Answer(v, api.AllOutputsSafe, allSafe)
	web.Answer(v, api.EndAllOutputsSafe, endAllSafe)
	web.Answer(v, api.ListInterlocks, listInterlocks)
	web.Keep(v, api.GetInterlock, getInterlock, api.PutInterlock, putInterlock, api.PatchInterlock)
	web.Carry(v, api.RemoveInterlock, removeInterlock)
	web.Answer(v, api.ResetInterlock, resetInterlock)
	web.Answer(v, api.TryInterlock, tryInterlock)
}

func listOutputs(ctx context.Context, v *web.Server, _ *api.None) (api.OutputList, error) {
	outputs, err := config.Outputs(ctx, v.Store)
	if err != nil {
		return api.OutputList{}, err
	}
	emergency, err := config.Emergency(ctx, v.Store)
	return api.OutputList{Emergency: emergency, Outputs: outputs}, err
}

func getOutput(ctx context.Context, v *web.Server, in *api.OutputPath) (drive.Output, error) {
	return findOutput(ctx, v, in)
}

func findOutput(ctx context.Context, v *web.Server, in *api.OutputPath) (drive.Output, error) {
	o, err := config.Output(ctx, v.Store, in.Device, in.Output)
	if !errors.Is(err, store.ErrNotFound) {
		return o, err
	}
	outputs, listErr := config.Outputs(ctx, v.Store)
	if listErr != nil {
		return drive.Output{}, listErr
	}
	var paths []string
	for _, o := range outputs {
		paths = append(paths, o.Path())
	}
	return drive.Output{}, web.Missing(err, "output", in.Whole(), paths)
}

func putOutput(ctx context.Context, v *web.Server, in *api.PutOutputIn) (drive.Output, error) {
	if err := configure.SaveOutput(ctx, v.Pipeline, in.Device, in.Output, in.Body, web.Who(ctx)); err != nil {
		return drive.Output{}, err
	}
	return findOutput(ctx, v, &in.OutputPath)
}

func removeOutput(ctx context.Context, v *web.Server, in *api.OutputPath) error {
	return configure.RemoveOutput(ctx, v.Pipeline, in.Whole(), web.Who(ctx))
}

func setOutput(ctx context.Context, v *web.Server, in *api.SetOutputIn) (drive.Output, error) {
	if err := configure.SetOutput(ctx, v.Pipeline, in.Whole(), in.Body, web.Who(ctx)); err != nil {
		return drive.Output{}, err
	}
	return findOutput(ctx, v, &in.OutputPath)
}

func releaseOutput(ctx context.Context, v *web.Server, in *api.OutputPath) (drive.Output, error) {
	if err := configure.ReleaseOutput(ctx, v.Pipeline, in.Whole(), web.Who(ctx)); err != nil {
		return drive.Output{}, err
	}
	return findOutput(ctx, v, in)
}

func resetOutput(ctx context.Context, v *web.Server, in *api.OutputPath) (drive.Output, error) {
	if err := configure.ResetOutput(ctx, v.Pipeline, in.Whole(), web.Who(ctx)); err != nil {
		return drive.Output{}, err
	}
	return findOutput(ctx, v, in)
}

func allSafe(ctx context.Context, v *web.Server, in *api.Body[api.EmergencyOrder]) (api.OutputList, error) {
	if !in.Body.Sure {
		return api.OutputList{}, web.Wrong("sure",
			"say that you are sure: all outputs of the site go to their safe states")
	}
	if err := configure.AllSafe(ctx, v.Pipeline, in.Body.Why, web.Who(ctx)); err != nil {
		return api.OutputList{}, err
	}
	return listOutputs(ctx, v, nil)
}

func endAllSafe(ctx context.Context, v *web.Server, _ *api.None) (api.OutputList, error) {
	if err := configure.EndAllSafe(ctx, v.Pipeline, web.Who(ctx)); err != nil {
		return api.OutputList{}, err
	}
	return listOutputs(ctx, v, nil)
}

func listInterlocks(ctx context.Context, v *web.Server, _ *api.None) ([]drive.Interlock, error) {
	return config.Interlocks(ctx, v.Store)
}

func getInterlock(ctx context.Context, v *web.Server, in *api.InterlockPath) (drive.Interlock, error) {
	return findInterlock(ctx, v, in.Interlock)
}

func findInterlock(ctx context.Context, v *web.Server, name string) (drive.Interlock, error) {
	i, err := config.Interlock(ctx, v.Store, name)
	if !errors.Is(err, store.ErrNotFound) {
		return i, err
	}
	locks, listErr := config.Interlocks(ctx, v.Store)
	if listErr != nil {
		return drive.Interlock{}, listErr
	}
	var names []string
	for _, i := range locks {
		names = append(names, i.Name)
	}
	return drive.Interlock{}, web.Missing(err, "interlock", name, names)
}

func putInterlock(ctx context.Context, v *web.Server, in *api.PutInterlockIn) (drive.Interlock, error) {
	if in.Body.Name != in.Interlock {
		return drive.Interlock{}, web.Wrong("name", in.Body.Name+" is not "+in.Interlock+
			", the interlock in the address")
	}
	if err := configure.SaveInterlock(ctx, v.Pipeline, &in.Body, web.Who(ctx)); err != nil {
		return drive.Interlock{}, err
	}
	return findInterlock(ctx, v, in.Interlock)
}

func removeInterlock(ctx context.Context, v *web.Server, in *api.InterlockPath) error {
	return configure.RemoveInterlock(ctx, v.Pipeline, in.Interlock, web.Who(ctx))
}

func resetInterlock(ctx context.Context, v *web.Server, in *api.InterlockPath) (drive.Interlock, error) {
	if err := configure.ResetInterlock(ctx, v.Pipeline, in.Interlock, web.Who(ctx)); err != nil {
		return drive.Interlock{}, err
	}
	return findInterlock(ctx, v, in.Interlock)
}

func tryInterlock(ctx context.Context, v *web.Server, in *api.Body[api.TryInterlockOrder]) (drive.Tried, error) {
	if in.Body.Until <= in.Body.From {
		return drive.Tried{}, web.Wrong("until", "is not after from")
	}
	return evidence.TryInterlock(ctx, v.Pipeline, in.Body.Interlock, in.Body.From, in.Body.Until)
}
