"""The counting core: arrays in, arrays out. No labels, files, frames or printing."""
