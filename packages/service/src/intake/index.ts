export { returnIntake, type IntakeOptions } from './intake.js';
