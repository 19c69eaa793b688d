package server

import (
	"context"
	"errors"

	"jauntylark/api"
	"jauntylark/core/drive"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/evidence"
	"jauntylark/store"
)

func (v *Server) listOutputs(ctx context.Context, _ *api.None) (api.OutputList, error) {
	outputs, err := v.store.Outputs(ctx)
	if err != nil {
		return api.OutputList{}, err
	}
	emergency, err := v.store.Emergency(ctx)
	return api.OutputList{Emergency: emergency, Outputs: outputs}, err
}

func (v *Server) getOutput(ctx context.Context, in *api.OutputPath) (drive.Output, error) {
	return v.output(ctx, in)
}

func (v *Server) output(ctx context.Context, in *api.OutputPath) (drive.Output, error) {
	o, err := v.store.Output(ctx, in.Device, in.Output)
	if !errors.Is(err, store.ErrNotFound) {
		return o, err
	}
	outputs, listErr := v.store.Outputs(ctx)
	if listErr != nil {
		return drive.Output{}, listErr
	}
	var paths []string
	for _, o := range outputs {
		paths = append(paths, o.Path())
	}
	return drive.Output{}, missing(err, "output", in.Whole(), paths)
}

func (v *Server) putOutput(ctx context.Context, in *api.PutOutputIn) (drive.Output, error) {
	if err := configure.SaveOutput(ctx, v.pipeline, in.Device, in.Output, in.Body, who(ctx)); err != nil {
		return drive.Output{}, err
	}
	return v.output(ctx, &in.OutputPath)
}

func (v *Server) removeOutput(ctx context.Context, in *api.OutputPath) error {
	return configure.RemoveOutput(ctx, v.pipeline, in.Whole(), who(ctx))
}

func (v *Server) setOutput(ctx context.Context, in *api.SetOutputIn) (drive.Output, error) {
	if err := configure.SetOutput(ctx, v.pipeline, in.Whole(), in.Body, who(ctx)); err != nil {
		return drive.Output{}, err
	}
	return v.output(ctx, &in.OutputPath)
}

func (v *Server) releaseOutput(ctx context.Context, in *api.OutputPath) (drive.Output, error) {
	if err := configure.ReleaseOutput(ctx, v.pipeline, in.Whole(), who(ctx)); err != nil {
		return drive.Output{}, err
	}
	return v.output(ctx, in)
}

func (v *Server) resetOutput(ctx context.Context, in *api.OutputPath) (drive.Output, error) {
	if err := configure.ResetOutput(ctx, v.pipeline, in.Whole(), who(ctx)); err != nil {
		return drive.Output{}, err
	}
	return v.output(ctx, in)
}

func (v *Server) allSafe(ctx context.Context, in *api.Body[api.EmergencyOrder]) (api.OutputList, error) {
	if !in.Body.Sure {
		return api.OutputList{}, wrong("sure", "say that you are sure: all outputs of the site go to their safe states")
	}
	if err := configure.AllSafe(ctx, v.pipeline, in.Body.Why, who(ctx)); err != nil {
		return api.OutputList{}, err
	}
	return v.listOutputs(ctx, nil)
}

func (v *Server) endAllSafe(ctx context.Context, _ *api.None) (api.OutputList, error) {
	if err := configure.EndAllSafe(ctx, v.pipeline, who(ctx)); err != nil {
		return api.OutputList{}, err
	}
	return v.listOutputs(ctx, nil)
}

func (v *Server) listInterlocks(ctx context.Context, _ *api.None) ([]drive.Interlock, error) {
	return v.store.Interlocks(ctx)
}

func (v *Server) getInterlock(ctx context.Context, in *api.InterlockPath) (drive.Interlock, error) {
	return v.interlock(ctx, in.Interlock)
}

func (v *Server) interlock(ctx context.Context, name string) (drive.Interlock, error) {
	i, err := v.store.Interlock(ctx, name)
	if !errors.Is(err, store.ErrNotFound) {
		return i, err
	}
	locks, listErr := v.store.Interlocks(ctx)
	if listErr != nil {
		return drive.Interlock{}, listErr
	}
	var names []string
	for _, i := range locks {
		names = append(names, i.Name)
	}
	return drive.Interlock{}, missing(err, "interlock", name, names)
}

func (v *Server) putInterlock(ctx context.Context, in *api.PutInterlockIn) (drive.Interlock, error) {
	if in.Body.Name != in.Interlock {
		return drive.Interlock{}, wrong("name", in.Body.Name+" is not "+in.Interlock+", the interlock in the address")
	}
	if err := configure.SaveInterlock(ctx, v.pipeline, &in.Body, who(ctx)); err != nil {
		return drive.Interlock{}, err
	}
	return v.interlock(ctx, in.Interlock)
}

func (v *Server) removeInterlock(ctx context.Context, in *api.InterlockPath) error {
	return configure.RemoveInterlock(ctx, v.pipeline, in.Interlock, who(ctx))
}

func (v *Server) resetInterlock(ctx context.Context, in *api.InterlockPath) (drive.Interlock, error) {
	if err := configure.ResetInterlock(ctx, v.pipeline, in.Interlock, who(ctx)); err != nil {
		return drive.Interlock{}, err
	}
	return v.interlock(ctx, in.Interlock)
}

func (v *Server) tryInterlock(ctx context.Context, in *api.Body[api.TryInterlockOrder]) (drive.Tried, error) {
	if in.Body.Until <= in.Body.From {
		return drive.Tried{}, wrong("until", "is not after from")
	}
	return evidence.TryInterlock(ctx, v.pipeline, in.Body.Interlock, in.Body.From, in.Body.Until)
}
