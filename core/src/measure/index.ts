/* Units, scale and what an imported file is taken for. The ways into this room for the other workspaces. */
export * from './preset'
export * from './scale'
