package api

import (
	"context"
	"encoding/json"
	"time"

	"dappertally/internal/contract"
	"dappertally/internal/reviewing"
)

func (h *handlers) ListMeasurements(ctx context.Context, r ListMeasurementsRequest) (*contract.MeasurementList, error) {
	all, err := h.reviewing.Measurements(ctx, whoAsks(request(ctx)), r.Params.Review)
	if err != nil {
		return nil, err
	}
	list := contract.MeasurementList{Measurements: []contract.Measurement{}}
	for _, m := range all {
		one := contract.Measurement{
			Id: m.ID, Review: m.Review, Person: m.Person, Rig: m.Rig, Began: m.Began,
			Silent: m.Silent.Round(time.Second).Seconds(), Stopper: m.Stopper,
		}
		if err := json.Unmarshal(m.Progress, &one.Progress); err != nil {
			return nil, err
		}
		list.Measurements = append(list.Measurements, one)
	}
	return &list, nil
}

func (h *handlers) PutMeasurement(ctx context.Context, r PutMeasurementRequest) (*contract.MeasurementKept, error) {
	c := request(ctx)
	if r.Body.Ended {
		return &contract.MeasurementKept{}, h.reviewing.EndMeasurement(ctx, whoAsks(c), r.Id, r.Measurement)
	}
	progress, err := json.Marshal(r.Body.Progress)
	if err != nil {
		return nil, err
	}
	stopper, err := h.reviewing.PutMeasurement(ctx, whoAsks(c), reviewing.Measurement{
		ID: r.Measurement, Review: r.Id, Rig: r.Body.Rig, Began: r.Body.Began.UTC(), Progress: progress,
	})
	if err != nil {
		return nil, err
	}
	return &contract.MeasurementKept{Stopper: stopper}, nil
}

func (h *handlers) StopMeasurement(ctx context.Context, r StopMeasurementRequest) error {
	return h.reviewing.StopMeasurement(ctx, whoAsks(request(ctx)), r.Id, r.Measurement)
}
