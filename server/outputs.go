package server

import (
	"context"
	"errors"

	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/pipeline"
	"jauntylark/store"
)

// OutputList is all outputs of the site, and the emergency that holds.
type OutputList struct {
	Emergency *drive.AllSafe `json:"emergency" doc:"who put all outputs into their safe states; null: nobody"`
	Outputs   []drive.Output `json:"outputs" nullable:"false"`
}

func (v *Server) listOutputs(ctx context.Context, _ *none) (*body[OutputList], error) {
	outputs, err := v.store.Outputs(ctx)
	if err != nil {
		return nil, err
	}
	emergency, err := v.store.Emergency(ctx)
	return answer(OutputList{emergency, outputs}, err)
}

// OutputPath is the place of one output.
type OutputPath struct {
	Device string `path:"device"`
	Output string `path:"output"`
}

func (p *OutputPath) path() string { return p.Device + "/" + p.Output }

func (v *Server) getOutput(ctx context.Context, in *OutputPath) (*body[drive.Output], error) {
	return v.output(ctx, in)
}

func (v *Server) output(ctx context.Context, in *OutputPath) (*body[drive.Output], error) {
	o, err := v.store.Output(ctx, in.Device, in.Output)
	if !errors.Is(err, store.ErrNotFound) {
		return answer(o, err)
	}
	outputs, listErr := v.store.Outputs(ctx)
	if listErr != nil {
		return nil, listErr
	}
	var paths []string
	for _, o := range outputs {
		paths = append(paths, o.Path())
	}
	return nil, missing(err, "output", in.path(), paths)
}

func (v *Server) putOutput(ctx context.Context, in *struct {
	OutputPath
	Body drive.Spec
}) (*body[drive.Output], error) {
	if err := v.pipeline.SaveOutput(ctx, in.Device, in.Output, in.Body, who(ctx)); err != nil {
		return nil, err
	}
	return v.output(ctx, &in.OutputPath)
}

func (v *Server) removeOutput(ctx context.Context, in *OutputPath) (*none, error) {
	return nil, v.pipeline.RemoveOutput(ctx, in.path(), who(ctx))
}

func (v *Server) setOutput(ctx context.Context, in *struct {
	OutputPath
	Body pipeline.HandOrder
}) (*body[drive.Output], error) {
	if err := v.pipeline.SetOutput(ctx, in.path(), in.Body, who(ctx)); err != nil {
		return nil, err
	}
	return v.output(ctx, &in.OutputPath)
}

func (v *Server) releaseOutput(ctx context.Context, in *OutputPath) (*body[drive.Output], error) {
	if err := v.pipeline.ReleaseOutput(ctx, in.path(), who(ctx)); err != nil {
		return nil, err
	}
	return v.output(ctx, in)
}

func (v *Server) resetOutput(ctx context.Context, in *OutputPath) (*body[drive.Output], error) {
	if err := v.pipeline.ResetOutput(ctx, in.path(), who(ctx)); err != nil {
		return nil, err
	}
	return v.output(ctx, in)
}

func (v *Server) allSafe(ctx context.Context, in *struct {
	Body struct {
		Why  string `json:"why,omitempty" required:"false" maxLength:"200"`
		Sure bool   `json:"sure" doc:"say that you are sure: everything stops, or whatever the safe state is"`
	}
}) (*body[OutputList], error) {
	if !in.Body.Sure {
		return nil, wrong("sure", "say that you are sure: all outputs of the site go to their safe states")
	}
	if err := v.pipeline.AllSafe(ctx, in.Body.Why, who(ctx)); err != nil {
		return nil, err
	}
	return v.listOutputs(ctx, nil)
}

func (v *Server) endAllSafe(ctx context.Context, _ *none) (*body[OutputList], error) {
	if err := v.pipeline.EndAllSafe(ctx, who(ctx)); err != nil {
		return nil, err
	}
	return v.listOutputs(ctx, nil)
}

func (v *Server) listInterlocks(ctx context.Context, _ *none) (*body[[]drive.Interlock], error) {
	return answer(v.store.Interlocks(ctx))
}

// InterlockPath is the place of one interlock.
type InterlockPath struct {
	Interlock string `path:"interlock"`
}

func (v *Server) getInterlock(ctx context.Context, in *InterlockPath) (*body[drive.Interlock], error) {
	return v.interlock(ctx, in.Interlock)
}

func (v *Server) interlock(ctx context.Context, name string) (*body[drive.Interlock], error) {
	i, err := v.store.Interlock(ctx, name)
	if !errors.Is(err, store.ErrNotFound) {
		return answer(i, err)
	}
	locks, listErr := v.store.Interlocks(ctx)
	if listErr != nil {
		return nil, listErr
	}
	var names []string
	for _, i := range locks {
		names = append(names, i.Name)
	}
	return nil, missing(err, "interlock", name, names)
}

func (v *Server) putInterlock(ctx context.Context, in *struct {
	InterlockPath
	Body drive.Interlock
}) (*body[drive.Interlock], error) {
	if in.Body.Name != in.Interlock {
		return nil, wrong("name", in.Body.Name+" is not "+in.Interlock+", the interlock in the address")
	}
	if err := v.pipeline.SaveInterlock(ctx, &in.Body, who(ctx)); err != nil {
		return nil, err
	}
	return v.interlock(ctx, in.Interlock)
}

func (v *Server) removeInterlock(ctx context.Context, in *InterlockPath) (*none, error) {
	return nil, v.pipeline.RemoveInterlock(ctx, in.Interlock, who(ctx))
}

func (v *Server) resetInterlock(ctx context.Context, in *InterlockPath) (*body[drive.Interlock], error) {
	if err := v.pipeline.ResetInterlock(ctx, in.Interlock, who(ctx)); err != nil {
		return nil, err
	}
	return v.interlock(ctx, in.Interlock)
}

func (v *Server) tryInterlock(ctx context.Context, in *struct {
	Body struct {
		Interlock drive.Interlock `json:"interlock" doc:"saved or not; any name will do"`
		From      measure.Instant `json:"from" format:"date-time"`
		Until     measure.Instant `json:"until" format:"date-time"`
	}
}) (*body[drive.Tried], error) {
	if in.Body.Until <= in.Body.From {
		return nil, wrong("until", "is not after from")
	}
	return answer(v.pipeline.TryInterlock(ctx, in.Body.Interlock, in.Body.From, in.Body.Until))
}
